import { Download } from 'lucide-react';
import { useEffect, useMemo, useState } from 'react';
import {
  Link,
  NavLink,
  Outlet,
  useLocation,
  useNavigate,
  useOutletContext,
  useParams,
  useSearchParams,
} from 'react-router';
import { useLoad, usePlan, usePlanChanges, useRecording } from '../api/queries';
import type { Analysis, Finding, LoadHead, RecordingHead } from '../api/types';
import { plural } from '../parts/format';
import { Empty, Trouble, Waiting } from '../parts/states';
import { useKeys } from './keys';
import { Margin } from './Margin';
import { useNotice } from './notices';
import { useMarked, useSelection, type Marked, type Selection } from './selection';

export const SECTIONS = [
  ['glance', 'Glance'],
  ['path', 'Path'],
  ['requests', 'Requests'],
  ['main-thread', 'Main thread'],
  ['findings', 'Findings'],
] as const;

/** What every section of a recording works on. */
export interface Reading {
  recording: RecordingHead;
  load: Analysis;
  number: number;
  selection: Selection;
  select: (next: Selection) => void;
  marked: Marked;
  /** Findings whose fix is in the plan already, by the fix's kind and target. */
  planned: (finding: Finding) => boolean;
  addToPlan: (finding: Finding) => void;
}

export const useReading = () => useOutletContext<Reading>();

export function RecordingFrame() {
  const id = Number(useParams().id);
  const recording = useRecording(id);
  if (!Number.isInteger(id)) return <Trouble error={new Error('This address names no recording.')} />;
  if (recording.error) return <Trouble error={recording.error} again={() => void recording.refetch()} />;
  if (!recording.data) return <Waiting />;
  return <Loaded key={id} recording={recording.data} />;
}

/** The load that the address names, else the one that stands for the recording. */
function chosenLoad(recording: RecordingHead, named: string | null): LoadHead | undefined {
  const withData = recording.loads.filter((l) => l.has_data);
  const wanted = recording.loads.find((l) => String(l.number) === named && l.has_data);
  return wanted ?? withData[recording.summary?.representative ?? 0] ?? withData[0];
}

function Loaded({ recording }: { recording: RecordingHead }) {
  const [params, setParams] = useSearchParams();
  const { search } = useLocation();
  const navigate = useNavigate();
  const [selection, select] = useSelection();
  const chosen = chosenLoad(recording, params.get('load'));
  const load = useLoad(recording.id, chosen?.number);
  const marked = useMarked(load.data, selection);
  const say = useNotice();
  const plan = usePlan(recording.site);
  const changes = usePlanChanges(recording.site);
  const [margin, setMargin] = useState(() => localStorage.getItem('phainon.margin') !== 'hidden');
  useEffect(() => localStorage.setItem('phainon.margin', margin ? 'shown' : 'hidden'), [margin]);
  useEffect(() => {
    document.title = `${recording.page}, ${recording.site} · Phainon`;
  }, [recording]);

  const go = (index: number) => {
    const section = SECTIONS[index];
    if (section) void navigate(`/recordings/${recording.id}/${section[0]}${search}`);
  };
  const reading = useMemo<Reading | null>(() => {
    if (!load.data || !chosen) return null;
    const planned = (f: Finding) =>
      plan.data?.fixes.some((fix) => fix.kind === f.fix.kind && fix.target === f.fix.target) ?? false;
    return {
      recording,
      load: load.data,
      number: chosen.number,
      selection,
      select,
      marked,
      planned,
      addToPlan: (f) => {
        if (planned(f)) {
          say({ text: 'This fix is in the plan already.' });
          return;
        }
        changes.add.mutate(
          {
            ...f.fix,
            owner: f.owner.name,
            on_path_ms: f.on_path_ms,
            finding_key: f.key,
            finding_title: f.title,
            recording: recording.id,
            load: chosen.number,
          },
          {
            onSuccess: (made) =>
              say({ text: `In the plan: ${f.fix.title}.`, undo: () => changes.remove.mutate(made.id) }),
            onError: (error) => say({ text: error.message, bad: true }),
          },
        );
      },
    };
  }, [load.data, chosen, recording, selection, select, marked, plan.data, changes, say]);

  useKeys({
    m: () => setMargin((shown) => !shown),
    ...Object.fromEntries(SECTIONS.map((_, i) => [String(i + 1), () => go(i)])),
    Escape: () => select(null),
    '.': () => {
      const finding =
        selection &&
        load.data?.findings.find((f) => (selection.kind === 'finding' ? f.key === selection.key : marked.finding(f)));
      if (finding) reading?.addToPlan(finding);
      else say({ text: 'Select a finding first; then its fix can be added to the plan.' });
    },
  });

  const failed = recording.loads.filter((l) => l.failed);
  return (
    <div className={`grid min-h-0 ${margin ? 'grid-cols-[minmax(0,1fr)_320px]' : 'grid-cols-[minmax(0,1fr)]'}`}>
      <div className="flex min-h-0 min-w-0 flex-col">
        <nav aria-label="Sections" className="flex items-end gap-6 border-b border-rule-strong bg-paper px-5 pt-2">
          {SECTIONS.map(([path, name], i) => (
            <NavLink
              key={path}
              to={`/recordings/${recording.id}/${path}${search}`}
              className={({ isActive }) =>
                `-mb-px border-b-2 pb-1.5 font-serif text-[15.5px] ${isActive ? 'border-ink font-semibold' : 'border-transparent text-ink-2 hover:text-ink'}`
              }
            >
              <sup className="mr-0.5 font-sans text-[10px] text-ink-3">{i + 1}</sup> {name}
            </NavLink>
          ))}
          <span className="ml-auto flex items-center gap-2 pb-1 text-[12.5px] text-ink-2">
            {recording.loads.length > 1 && (
              <label className="flex items-center gap-1.5">
                Load
                <select
                  className="rounded border border-rule-strong bg-sheet px-1 py-0.5"
                  value={chosen?.number ?? ''}
                  onChange={(e) => {
                    const next = new URLSearchParams(params);
                    next.set('load', e.target.value);
                    next.delete('sel');
                    setParams(next);
                  }}
                >
                  {recording.loads.map((l) => (
                    <option key={l.number} value={l.number} disabled={!l.has_data}>
                      {l.number}
                      {!l.has_data ? ', failed' : l.failed ? ', with trouble' : ''}
                    </option>
                  ))}
                </select>
              </label>
            )}
            <a
              className="btn btn-quiet"
              href={`/api/recordings/${recording.id}/archive`}
              download
              title="The recording as an archive of open formats"
            >
              <Download size={14} aria-hidden /> Archive
            </a>
            {chosen && (
              <a
                className="btn btn-quiet"
                href={`/api/recordings/${recording.id}/loads/${chosen.number}/har`}
                download
                title="This load as HAR 1.2"
              >
                <Download size={14} aria-hidden /> HAR
              </a>
            )}
          </span>
        </nav>
        <main className="min-h-0 flex-1 overflow-y-auto bg-sheet" id="sheet">
          {failed.length > 0 && (
            <div role="note" className="border-b border-rule bg-paper px-5 py-2 text-[13px]">
              {failed.map((l) => (
                <p key={l.number}>
                  <strong className="text-past">Load {l.number} failed.</strong> {l.failed}
                </p>
              ))}
            </div>
          )}
          {load.error ? (
            <Trouble error={load.error} again={() => void load.refetch()} />
          ) : reading ? (
            <Outlet context={reading} />
          ) : chosen ? (
            <Waiting />
          ) : (
            <Empty title="No load of this recording has data">
              <p>{plural(failed.length, 'load')} failed; the reason stands above. Mend it and record again.</p>
              <Link className="btn mt-3" to="/recordings">
                All recordings
              </Link>
            </Empty>
          )}
        </main>
      </div>
      {margin && (
        <aside
          aria-label="Margin"
          className="min-h-0 overflow-y-auto border-l border-rule-strong bg-paper px-[18px] py-4"
        >
          {reading && <Margin reading={reading} />}
        </aside>
      )}
    </div>
  );
}
