import { Download } from 'lucide-react';
import { Suspense, useEffect, useMemo, useState } from 'react';
import { Link, NavLink, Outlet, useLocation, useNavigate, useParams, useSearchParams } from 'react-router';
import { useLoad, usePlan, usePlanChanges, useRecording, useTracksEarly, useVisits } from '../api/queries';
import type { Finding, LoadHead, RecordingHead } from '../api/types';
import { bytes, day, ms, plural } from '../parts/format';
import { Empty, Trouble, Waiting } from '../parts/states';
import { useKeys } from './keys';
import { Margin } from './margin/Margin';
import { useNotice } from './notices';
import { type Reading } from './reading';
import { useMarked, useSelection } from './selection';

export const SECTIONS = [
  ['glance', 'Glance'],
  ['path', 'Path'],
  ['requests', 'Requests'],
  ['frames', 'Frames'],
  ['main-thread', 'Main thread'],
  ['weight', 'Weight'],
  ['server', 'Server work'],
  ['document', 'Document'],
  ['findings', 'Findings'],
  ['trials', 'Trials'],
] as const;

export default function RecordingFrame() {
  const id = Number(useParams().id);
  const recording = useRecording(id);
  if (!Number.isInteger(id)) return <Trouble error={new Error('This address names no recording.')} />;
  if (recording.error) return <Trouble error={recording.error} again={() => void recording.refetch()} />;
  if (!recording.data) return <Waiting />;
  return <Loaded key={id} recording={recording.data} />;
}

/** `2`, or `2, return visit`; loads are counted by their first visits. */
function loadName(recording: RecordingHead, load: LoadHead): string {
  const before = recording.loads.slice(0, recording.loads.indexOf(load) + 1);
  const count = before.filter((l) => l.visit === 'first').length;
  return load.visit === 'return' ? `${count}, return visit` : String(count);
}

/** The other visit of the same profile in one line, whichever section is open. */
function OtherVisit({ reading }: { reading: Reading }) {
  const { pair, recording, number } = reading;
  const [params, setParams] = useSearchParams();
  const visits = useVisits(recording.id, pair?.first, pair?.again);
  const isFirst = number === pair?.first;
  const { other } = reading;
  if (!pair || !visits.data) return null;
  const { from_cache, revalidated, again, first_bytes, again_bytes } = visits.data;
  const swap = () => {
    const next = new URLSearchParams(params);
    next.set('load', String(isFirst ? pair.again : pair.first));
    next.delete('sel');
    setParams(next);
  };
  const name = isFirst ? 'Return visit' : 'First visit';
  const all = `${bytes(again_bytes)} instead of ${bytes(first_bytes)}: ${from_cache} from the cache, ${revalidated} asked about and still good, ${again} downloaded again`;
  return (
    <p className="flex min-w-0 items-center gap-2" title={all}>
      <button className="shrink-0 font-semibold text-accent" onClick={swap}>
        {name}
      </button>
      <span className="truncate">
        {other?.metrics.lcp_ms != null && `LCP ${ms(other.metrics.lcp_ms)}; `}
        {isFirst ? '' : 'this one: '}
        {bytes(again_bytes)} instead of {bytes(first_bytes)}, {from_cache} from the cache, {again} again
      </span>
      <Link className="shrink-0 text-accent" to={`/recordings/${recording.id}/requests?${besides(params)}`}>
        compare
      </Link>
    </p>
  );
}

function besides(params: URLSearchParams): string {
  const next = new URLSearchParams(params);
  next.set('beside', 'return');
  return next.toString();
}

/** What must be known of how a recording was made before its figures are believed. */
function Circumstances({ recording }: { recording: RecordingHead }) {
  const { machine, blocked, ended, wanted_loads, thinned_at } = recording;
  const firsts = recording.loads.filter((l) => l.visit === 'first').length;
  const busy = machine && machine.load_average !== null && machine.load_average > machine.cores * 0.75;
  const words = [
    ended === 'recording' && `Still being recorded: ${firsts} of ${wanted_loads ?? '?'} loads so far.`,
    ended === 'cancelled' && `Cancelled: ${firsts} of ${wanted_loads ?? '?'} loads were made and are kept.`,
    ended === 'broken_off' && `Broken off: ${firsts} of ${wanted_loads ?? '?'} loads were made and are kept.`,
    busy &&
      `The machine was busy when this was recorded (load average ${machine.load_average?.toFixed(2)} on ${plural(machine.cores, 'core')}); its figures may be too high.`,
    recording.trial_of !== null &&
      (recording.source === 'trial'
        ? 'This is a trial: a recorded load served again from its kept responses, with edits.'
        : 'This is a replay: a recorded load served again from its kept responses, without any edit.'),
    blocked.length > 0 && `Recorded without ${blocked.join(', ')}.`,
    thinned_at !== null &&
      `Its traces and bodies were dropped on ${day(thinned_at)} to make room. What stands here was computed before.`,
  ].filter(Boolean);
  if (!words.length) return null;
  return (
    <div role="note" className="border-b border-rule bg-paper px-5 py-1.5 text-[13px]">
      {words.map((w) => (
        <p key={String(w)} className="line-clamp-3 [overflow-wrap:anywhere]" title={String(w)}>
          {w}
        </p>
      ))}
    </div>
  );
}

/** The load that the address names, else the one that stands for the recording. */
function chosenLoad(recording: RecordingHead, named: string | null): LoadHead | undefined {
  const withData = recording.loads.filter((l) => l.has_data);
  const wanted = recording.loads.find((l) => String(l.number) === named && l.has_data);
  return wanted ?? withData.find((l) => l.number === recording.summary?.representative) ?? withData[0];
}

/** The two visits of one profile: a first visit and the return visit right after it. */
function pairOf(recording: RecordingHead, chosen: LoadHead | undefined): Reading['pair'] {
  if (!chosen) return undefined;
  const at = recording.loads.indexOf(chosen);
  const [first, again] =
    chosen.visit === 'return' ? [recording.loads[at - 1], chosen] : [chosen, recording.loads[at + 1]];
  if (first?.visit !== 'first' || again?.visit !== 'return' || !first.has_data || !again.has_data) return undefined;
  return { first: first.number, again: again.number };
}

function Loaded({ recording }: { recording: RecordingHead }) {
  const [params, setParams] = useSearchParams();
  const { search, pathname } = useLocation();
  const navigate = useNavigate();
  const [selection, select] = useSelection();
  const chosen = chosenLoad(recording, params.get('load'));
  const load = useLoad(recording.id, chosen?.number);
  useTracksEarly(recording.id, chosen?.number, pathname.endsWith('/main-thread'));
  const marked = useMarked(load.data, selection);
  const pair = useMemo(() => pairOf(recording, chosen), [recording, chosen]);
  const otherNumber = pair && (chosen?.number === pair.first ? pair.again : pair.first);
  const other = useLoad(recording.id, otherNumber);
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
    // The address may be ahead of what has been drawn: a key comes right after a change of it.
    if (section) void navigate(`/recordings/${recording.id}/${section[0]}${window.location.search}`);
  };
  const reading = useMemo<Reading | null>(() => {
    if (!load.data || !chosen) return null;
    const planned = (f: Finding) => plan.data?.fixes.some((planned) => planned.fix.key === f.fix.key) ?? false;
    return {
      recording,
      load: load.data,
      number: chosen.number,
      selection,
      select,
      marked,
      pair,
      other: other.data,
      planned,
      addToPlan: (f) => {
        if (planned(f)) {
          say({ text: 'This fix is in the plan already.' });
          return;
        }
        changes.add.mutate(
          {
            edit: f.fix.edit,
            owner: f.owner,
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
  }, [
    load.data,
    chosen,
    recording,
    selection,
    select,
    marked,
    pair,
    other.data,
    plan.data,
    changes.add,
    changes.remove,
    say,
  ]);

  useKeys({
    m: () => setMargin((shown) => !shown),
    // There are nine keys; what comes after them is a click away.
    ...Object.fromEntries(SECTIONS.slice(0, 9).map((_, i) => [String(i + 1), () => go(i)])),
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
        <nav
          aria-label="Sections"
          className="flex items-end gap-[9px] border-b border-rule-strong bg-paper pl-5 pr-2 pt-2"
        >
          {SECTIONS.map(([path, name], i) => (
            <NavLink
              key={path}
              to={`/recordings/${recording.id}/${path}${search}`}
              className={({ isActive }) =>
                `-mb-px whitespace-nowrap border-b-2 pb-1.5 font-serif text-[14.5px] ${isActive ? 'border-ink font-semibold' : 'border-transparent text-ink-2 hover:text-ink'}`
              }
            >
              {i < 9 && <sup className="mr-px font-sans text-[10px] text-ink-3">{i + 1}</sup>} {name}
            </NavLink>
          ))}
        </nav>
        <section
          aria-label="Load in hand"
          className="flex items-center gap-3 border-b border-rule bg-paper px-5 py-1 text-[12.5px] text-ink-2"
        >
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
                    {loadName(recording, l)}
                    {!l.has_data ? ', failed' : l.failed ? ', with trouble' : ''}
                  </option>
                ))}
              </select>
            </label>
          )}
          {reading && <OtherVisit reading={reading} />}
          <span className="ml-auto flex shrink-0 items-center">
            <a
              className="btn btn-quiet !px-1.5 !py-0"
              href={`/api/recordings/${recording.id}/archive`}
              download
              title="The recording as an archive of open formats"
            >
              <Download size={13} aria-hidden /> Archive
            </a>
            {chosen && (
              <a
                className="btn btn-quiet !px-1.5 !py-0"
                href={`/api/recordings/${recording.id}/loads/${chosen.number}/har`}
                download
                title="This load as HAR 1.2"
              >
                HAR
              </a>
            )}
          </span>
        </section>
        <main className="min-h-0 flex-1 overflow-y-auto bg-sheet" id="sheet">
          <Circumstances recording={recording} />
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
            <Suspense fallback={<Waiting />}>
              <Outlet context={reading} />
            </Suspense>
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
