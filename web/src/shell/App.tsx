import { lazy, Suspense, useCallback, useEffect, useState } from 'react';
import { Navigate, Route, Routes, useNavigate } from 'react-router';
import FindingsView from '../views/findings/FindingsView';
import GlanceView from '../views/glance/GlanceView';
import PathView from '../views/path/PathView';
import { RecordingsView } from '../views/recordings/RecordingsView';
import RequestsView from '../views/requests/RequestsView';
import { HelpDialog } from './HelpDialog';
import { LeftColumn } from './LeftColumn';
import { RecordDialog } from './record/RecordDialog';
import { RecordingFrame } from './RecordingFrame';
import { TopBar } from './TopBar';
import { useDrop } from './useDrop';
import { Waiting } from '../parts/states';
import { useKeys } from './keys';

// What most people open later is not in the first bundle; it is fetched as soon as nothing else is to
// be done, so that no screen shows a gap of its own.
const LATER = {
  document: () => import('../views/document/DocumentView'),
  frames: () => import('../views/frames/FramesView'),
  job: () => import('../views/job/JobView'),
  mainThread: () => import('../views/main-thread/MainThreadView'),
  plan: () => import('../views/plan/PlanView'),
  weight: () => import('../views/weight/WeightView'),
};
const DocumentView = lazy(LATER.document);
const FramesView = lazy(LATER.frames);
const JobView = lazy(LATER.job);
const MainThreadView = lazy(LATER.mainThread);
const PlanView = lazy(LATER.plan);
const WeightView = lazy(LATER.weight);

function useFetchLater() {
  useEffect(() => {
    const timer = setTimeout(() => Object.values(LATER).forEach((load) => void load()), 300);
    return () => clearTimeout(timer);
  }, []);
}

export function App() {
  const [recordOpen, setRecordOpen] = useState(false);
  const [helpOpen, setHelpOpen] = useState(false);
  const navigate = useNavigate();
  useFetchLater();
  useKeys({ r: () => setRecordOpen(true), '?': () => setHelpOpen(true) });
  const record = useCallback(() => setRecordOpen(true), []);
  const dropping = useDrop((id) => navigate(`/recordings/${id}/glance`));
  return (
    <div className="grid h-full grid-rows-[48px_minmax(0,1fr)]">
      <TopBar onRecord={record} onHelp={() => setHelpOpen(true)} />
      <div className="grid min-h-0 grid-cols-[188px_minmax(0,1fr)]">
        <LeftColumn />
        <Suspense fallback={<Waiting />}>
          <Routes>
            <Route index element={<Navigate to="/recordings" replace />} />
            <Route path="recordings" element={<RecordingsView onRecord={record} />} />
            <Route path="recordings/:id" element={<RecordingFrame />}>
              <Route index element={<Navigate to="glance" replace />} />
              <Route path="glance" element={<GlanceView />} />
              <Route path="path" element={<PathView />} />
              <Route path="requests" element={<RequestsView />} />
              <Route path="frames" element={<FramesView />} />
              <Route path="main-thread" element={<MainThreadView />} />
              <Route path="weight" element={<WeightView />} />
              <Route path="document" element={<DocumentView />} />
              <Route path="findings" element={<FindingsView />} />
            </Route>
            <Route path="sites/:site/plan" element={<PlanView />} />
            <Route path="jobs/:id" element={<JobView />} />
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
      <RecordDialog open={recordOpen} onOpenChange={setRecordOpen} />
      <HelpDialog open={helpOpen} onOpenChange={setHelpOpen} />
      {dropping && (
        <div className="pointer-events-none fixed inset-3 z-40 grid place-items-center border-2 border-dashed border-accent bg-paper/85">
          <p className="font-serif text-2xl">Drop a recording archive, a HAR or a trace</p>
        </div>
      )}
    </div>
  );
}
