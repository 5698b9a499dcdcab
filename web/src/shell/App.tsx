import { lazy, Suspense, useCallback, useEffect, useState } from 'react';
import { Navigate, Route, Routes } from 'react-router';
import { RecordingsView } from '../views/recordings/RecordingsView';
import { HelpDialog } from './HelpDialog';
import { LeftColumn } from './LeftColumn';
import { TopBar } from './TopBar';
import { useDrop } from './useDrop';
import { Waiting } from '../parts/states';
import { useKeys } from './keys';

// What is opened later is not in the first bundle; it is fetched as soon as nothing else is to be done,
// so that no screen shows a gap of its own.
const waiting: (() => Promise<unknown>)[] = [];
const later: typeof lazy = (load) => {
  waiting.push(load);
  return lazy(load);
};
const RecordingFrame = later(() => import('./RecordingFrame'));
const GlanceView = later(() => import('../views/glance/GlanceView'));
const PathView = later(() => import('../views/path/PathView'));
const RequestsView = later(() => import('../views/requests/RequestsView'));
const FramesView = later(() => import('../views/frames/FramesView'));
const MainThreadView = later(() => import('../views/main-thread/MainThreadView'));
const WeightView = later(() => import('../views/weight/WeightView'));
const DocumentView = later(() => import('../views/document/DocumentView'));
const ServerView = later(() => import('../views/server/ServerView'));
const RecordsView = later(() => import('../views/server/RecordsView'));
const OwnersView = later(() => import('../views/owners/OwnersView'));
const FindingsView = later(() => import('../views/findings/FindingsView'));
const TrialsView = later(() => import('../views/trials/TrialsView'));
const TrialView = later(() => import('../views/trials/TrialView'));
const PlanView = later(() => import('../views/plan/PlanView'));
const CompareView = later(() => import('../views/compare/CompareView'));
const StorageView = later(() => import('../views/storage/StorageView'));
const JobView = later(() => import('../views/job/JobView'));
const RecordDialog = later(() => import('./record/RecordDialog'));

function useFetchLater() {
  useEffect(() => {
    const timer = setTimeout(() => waiting.forEach((load) => void load()), 300);
    return () => clearTimeout(timer);
  }, []);
}

export function App() {
  // What was typed into it stays while it is closed, so it stays once it was opened.
  const [record, setRecord] = useState<'unused' | 'open' | 'closed'>('unused');
  const [helpOpen, setHelpOpen] = useState(false);
  useFetchLater();
  useKeys({ r: () => setRecord('open'), '?': () => setHelpOpen(true) });
  const onRecord = useCallback(() => setRecord('open'), []);
  const dropping = useDrop();
  return (
    <div className="grid h-full grid-cols-[minmax(0,1fr)] grid-rows-[48px_minmax(0,1fr)]">
      <TopBar onRecord={onRecord} onHelp={() => setHelpOpen(true)} />
      <div className="grid min-h-0 grid-cols-[188px_minmax(0,1fr)]">
        <LeftColumn />
        <Suspense fallback={<Waiting />}>
          <Routes>
            <Route index element={<Navigate to="/recordings" replace />} />
            <Route path="recordings" element={<RecordingsView onRecord={onRecord} />} />
            <Route path="recordings/:id" element={<RecordingFrame />}>
              <Route index element={<Navigate to="glance" replace />} />
              <Route path="glance" element={<GlanceView />} />
              <Route path="path" element={<PathView />} />
              <Route path="requests" element={<RequestsView />} />
              <Route path="frames" element={<FramesView />} />
              <Route path="main-thread" element={<MainThreadView />} />
              <Route path="weight" element={<WeightView />} />
              <Route path="server" element={<ServerView />} />
              <Route path="document" element={<DocumentView />} />
              <Route path="findings" element={<FindingsView />} />
              <Route path="trials" element={<TrialsView />} />
              <Route path="trials/:trial" element={<TrialView />} />
            </Route>
            <Route path="sites/:site/plan" element={<PlanView />} />
            <Route path="sites/:site/owners" element={<OwnersView />} />
            <Route path="server-records" element={<RecordsView />} />
            <Route path="server-records/:trace" element={<RecordsView />} />
            <Route path="compare" element={<CompareView />} />
            <Route path="jobs/:id" element={<JobView />} />
            <Route path="storage" element={<StorageView />} />
            <Route
              path="*"
              element={
                <main className="p-8">
                  <h1 className="text-2xl">No such screen</h1>
                  <p className="mt-2 text-ink-2">
                    The address may be of an older version. All recordings are in the list on the left.
                  </p>
                </main>
              }
            />
          </Routes>
        </Suspense>
      </div>
      <Suspense>
        {record !== 'unused' && (
          <RecordDialog open={record === 'open'} onOpenChange={(open) => setRecord(open ? 'open' : 'closed')} />
        )}
      </Suspense>
      <HelpDialog open={helpOpen} onOpenChange={setHelpOpen} />
      {dropping && (
        <div className="pointer-events-none fixed inset-3 z-40 grid place-items-center border-2 border-dashed border-accent bg-paper/85">
          <p className="font-serif text-2xl">Drop a recording archive, a HAR or a trace</p>
        </div>
      )}
    </div>
  );
}
