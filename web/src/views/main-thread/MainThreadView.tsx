import { useMemo, useRef, useState } from 'react';
import { useThread, useTracks } from '../../api/queries';
import type { Analysis } from '../../api/queries';
import type { LongTask, MainThread } from '../../api/types';
import { Ask } from '../../parts/Ask';
import { ms, plural, WORK, WORK_ORDER, whole } from '../../parts/format';
import { shortName } from '../../parts/names';
import { NotKnown, Trouble } from '../../parts/states';
import { timeEnd } from '../../parts/time';
import { SpanControls } from '../../parts/TimeAxis';
import { useParam } from '../../parts/useParam';
import { useWhatIf, WhatIf } from '../../parts/WhatIf';
import { useSpan, zoomBy, type Span } from '../../parts/useSpan';
import { useWidth } from '../../parts/useWidth';
import { useKeys, useRowKeys } from '../../shell/keys';
import { ownerKey } from '../../parts/names';
import { useReading } from '../../shell/reading';
import { Chart, type Picked } from './Chart';
import { Functions } from './Functions';
import { MovedTasks } from './MovedTasks';
import { Forced, Handlers, Interactions } from './Tables';

export default function MainThreadView() {
  const { load } = useReading();
  const main = load.main_thread;
  if (!main) {
    return (
      <div className="px-5 py-4">
        <h1 className="text-[25px]">The main thread was not observed</h1>
        <NotKnown reasons={load.missing.filter((m) => m.subject === 'main_thread').map((m) => m.why)} />
      </div>
    );
  }
  return <Observed load={load} main={main} />;
}

function Observed({ load, main }: { load: Analysis; main: MainThread }) {
  const longest = main.by_script.find((s) => s.url !== null);
  const sum = main.long_tasks.reduce((total, t) => total + t.duration_ms, 0);
  return (
    <div className="px-5 pb-8 pt-2">
      <h1 className="text-[25px] leading-tight">
        {main.long_tasks.length
          ? `${plural(main.long_tasks.length, 'long task')} take ${ms(sum)} of the main thread`
          : 'No task is longer than 50 ms'}
      </h1>
      <p className="text-[13.5px] text-ink-2">
        <Ask how="Sum of all top-level tasks of the page’s main thread from navigation start to the end of the recording, slowed as the conditions say.">
          {ms(main.total_ms)}
        </Ask>{' '}
        of work in all
        {longest?.url && `; ${shortName(longest.url)} takes the most, ${ms(longest.total_ms)}`}
        {load.metrics.tbt_ms !== null && `. Total Blocking Time ${ms(load.metrics.tbt_ms)}`}.
      </p>
      <ByKind main={main} />
      <Depth load={load} />
      <Interactions load={load} />
      <Forced />
      <Handlers />
      <div className="mt-5 grid grid-cols-[minmax(0,1.55fr)_minmax(0,1fr)] gap-7">
        <Scripts main={main} />
        <Owners load={load} />
      </div>
      <LongTasks tasks={main.long_tasks} />
    </div>
  );
}

function Stack({ by, total, width = '100%' }: { by: MainThread['by_kind_ms']; total: number; width?: string }) {
  const label = WORK_ORDER.filter((k) => (by[k] ?? 0) >= 0.5)
    .map((k) => `${WORK[k].words} ${ms(by[k])}`)
    .join(', ');
  return (
    <div className="flex h-2.5 gap-px" style={{ width }} role="img" aria-label={label}>
      {WORK_ORDER.map((kind) =>
        (by[kind] ?? 0) > 0 ? (
          <span key={kind} style={{ width: `${((by[kind] ?? 0) / total) * 100}%`, background: WORK[kind].color }} />
        ) : null,
      )}
    </div>
  );
}

function ByKind({ main }: { main: MainThread }) {
  return (
    <section className="mt-3" aria-label="By kind of work">
      <Stack by={main.by_kind_ms} total={main.total_ms || 1} />
      <p className="mt-1.5 flex flex-wrap gap-x-4 text-[12.5px]">
        {WORK_ORDER.filter((k) => (main.by_kind_ms[k] ?? 0) >= 0.5).map((kind) => (
          <span key={kind}>
            <span className="mr-1.5 inline-block h-2 w-2" style={{ background: WORK[kind].color }} aria-hidden />
            {WORK[kind].words} <strong>{ms(main.by_kind_ms[kind])}</strong>
          </span>
        ))}
      </p>
    </section>
  );
}

/** The chart, what is picked in it, and time by function over what is chosen in it. */
function Depth({ load }: { load: Analysis }) {
  const { recording, number, select } = useReading();
  const tracks = useTracks(recording.id, number);
  const [area, width] = useWidth<HTMLDivElement>(720);
  const end = timeEnd(load);
  const [span, setSpan] = useSpan(end);
  const [picked, setPicked] = useState<Picked | null>(null);
  const what = useWhatIf();
  const [stretch, setStretch] = useParam('stretch');
  const thread = useThread(recording.id, number);
  const measures = useMemo(() => thread.data?.user_timings.filter((t) => t.duration_ms !== null) ?? [], [thread.data]);
  const chosen = useMemo(() => {
    const measure = /^measure:(\d+)$/.exec(stretch);
    if (measure) {
      const timing = measures[Number(measure[1])];
      return timing ? { from: timing.at_ms, to: timing.at_ms + (timing.duration_ms ?? 0) } : null;
    }
    const times = stretch.split('-').map(Number);
    const [from = NaN, to = NaN] = times;
    return stretch && to > from ? { from, to } : null;
    // The measures are those of the load.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [stretch, load]);
  const choose = (next: Span | null) => setStretch(next ? `${next.from.toFixed(1)}-${next.to.toFixed(1)}` : '');
  useKeys({
    '+': () => setSpan((now) => zoomBy(now, 0.5, end)),
    '-': () => setSpan((now) => zoomBy(now, 2, end)),
    '0': () => setSpan(null),
  });
  const label = chosen ? `${ms(chosen.from)} to ${ms(chosen.to)}` : 'the whole load';
  return (
    <section className="mt-5 border-t border-rule-strong pt-2" aria-label="Tasks and call stacks on the time axis">
      <div className="mb-1 flex flex-wrap items-center gap-3 text-[13px] text-ink-2">
        <span>Drag to move, Ctrl and wheel to zoom, Shift and drag to choose a stretch.</span>
        <WhatIf what={what} />
        <span className="ml-auto" />
        <SpanControls span={span} end={end} onSpan={setSpan} />
      </div>
      <div ref={area}>
        {tracks.error ? (
          <Trouble error={tracks.error} again={() => void tracks.refetch()} />
        ) : tracks.data ? (
          <Chart
            load={load}
            tracks={tracks.data}
            span={span}
            end={end}
            width={width}
            chosen={chosen}
            picked={picked}
            onSpan={setSpan}
            onChoose={choose}
            onPick={(next) => {
              setPicked(next);
              const lane = next && tracks.data[next.lane];
              const label = lane && tracks.data.head.labels[lane.label[next.bar] ?? 0];
              if (label?.url) select({ kind: 'script', url: label.url });
            }}
          />
        ) : (
          <div className="h-[280px]" role="status" aria-label="Loading" />
        )}
        {what.foreseen && !what.stale && <MovedTasks tasks={what.foreseen.tasks} span={span} width={width} />}
      </div>
      <div className="mt-2 flex flex-wrap items-center gap-2 text-[13px]">
        <span className="text-ink-2">Stretch for the functions below: {label}</span>
        <button className="btn !px-2 !py-0.5" onClick={() => choose(span)}>
          what is shown
        </button>
        {chosen && (
          <button className="btn !px-2 !py-0.5" onClick={() => setStretch('')}>
            the whole load
          </button>
        )}
        {measures.length > 0 && (
          <select
            aria-label="A User Timing measure"
            className="rounded border border-rule-strong bg-sheet px-1 py-0.5"
            value={stretch.startsWith('measure:') ? stretch : ''}
            onChange={(e) => setStretch(e.target.value)}
          >
            <option value="">a measure of the page</option>
            {measures.map((m, i) => (
              <option key={i} value={`measure:${i}`}>
                {m.name}, {ms(m.duration_ms)}
              </option>
            ))}
          </select>
        )}
      </div>
      <Functions chosen={chosen} label={label} ready={!tracks.isPending} />
    </section>
  );
}

function Scripts({ main }: { main: MainThread }) {
  const { select, marked } = useReading();
  const [all, setAll] = useState(false);
  const rows = all ? main.by_script : main.by_script.slice(0, 10);
  const top = main.by_script[0]?.total_ms ?? 1;
  return (
    <section aria-label="By script">
      <table className="w-full table-fixed text-[13px]">
        <thead>
          <tr className="border-b border-rule-strong">
            <th className="w-[38%] py-1">Script</th>
            <th className="w-[22%]">Owner</th>
            <th className="w-[26%]">
              <Ask how="Self time of the script’s pieces of work, and of the style, layout and paint that it forced, by kind. Where samples were taken, a handler that a library calls counts for the script that gave it to the library.">
                Work
              </Ask>
            </th>
            <th className="text-right">ms</th>
          </tr>
        </thead>
        <tbody>
          {rows.map((script) => (
            <tr
              key={script.url ?? 'page'}
              className={`border-b border-rule ${marked.script(script.url) ? 'bg-soft' : ''}`}
            >
              <td className="truncate py-1">
                {script.url ? (
                  <button
                    className="max-w-full truncate hover:text-accent"
                    title={script.url}
                    onClick={() => select({ kind: 'script', url: script.url ?? '' })}
                  >
                    {shortName(script.url)}
                  </button>
                ) : (
                  <span className="text-ink-2">the page itself</span>
                )}
              </td>
              <td className="truncate pr-2 text-ink-2">{script.owner.name}</td>
              <td className="pr-2">
                <Stack
                  by={script.by_kind_ms}
                  total={script.total_ms || 1}
                  width={`${(script.total_ms / top) * 100}%`}
                />
              </td>
              <td className="text-right">{whole(Math.round(script.total_ms))}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <p className="mt-1 text-[12.5px] text-ink-2">
        {rows.length} of {main.by_script.length} scripts{' '}
        {main.by_script.length > 10 && (
          <button className="text-accent" onClick={() => setAll((v) => !v)}>
            {all ? 'show fewer' : 'show all'}
          </button>
        )}
      </p>
    </section>
  );
}

function Owners({ load }: { load: Analysis }) {
  const { select, marked } = useReading();
  const rows = load.owners
    .filter((o) => (o.main_thread_ms ?? 0) >= 0.5)
    .sort((a, b) => (b.main_thread_ms ?? 0) - (a.main_thread_ms ?? 0));
  return (
    <section aria-label="By owner">
      <table className="w-full text-[13px]">
        <thead>
          <tr className="border-b border-rule-strong">
            <th className="py-1">Owner</th>
            <th>Kind</th>
            <th className="text-right">ms</th>
          </tr>
        </thead>
        <tbody>
          {rows.slice(0, 14).map((o) => (
            <tr key={ownerKey(o)} className={`border-b border-rule ${marked.owner === ownerKey(o) ? 'bg-soft' : ''}`}>
              <td className="py-1">
                <button className="hover:text-accent" onClick={() => select({ kind: 'owner', owner: ownerKey(o) })}>
                  {o.name}
                </button>
              </td>
              <td className="text-ink-2">{o.kind.replace('_', ' ')}</td>
              <td className="text-right">{whole(Math.round(o.main_thread_ms ?? 0))}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}

/** More rows than this are drawn only when asked for. */
const MOST_TASKS = 60;

function LongTasks({ tasks }: { tasks: LongTask[] }) {
  const { select, marked, selection } = useReading();
  const [all, setAll] = useState(false);
  const table = useRef<HTMLTableElement>(null);
  const at = selection?.kind === 'task' ? selection.index : -1;
  const go = (index: number) => {
    if (tasks.length) select({ kind: 'task', index });
    table.current?.querySelectorAll('button')[index]?.focus();
  };
  useRowKeys(at, tasks.length, go);
  if (!tasks.length) return null;
  return (
    <section className="mt-6" aria-label="Long tasks">
      <h2 className="text-[18px]">Long tasks</h2>
      <table ref={table} className="mt-1 w-full text-[13px]">
        <thead>
          <tr className="border-b border-rule-strong">
            <th className="py-1">Starts at</th>
            <th className="text-right">Takes</th>
            <th className="text-right">Adds to TBT</th>
            <th className="pl-6">Script</th>
            <th>Owner</th>
            <th>Mostly</th>
          </tr>
        </thead>
        <tbody>
          {(all ? tasks : tasks.slice(0, MOST_TASKS)).map((task, i) => (
            <tr key={i} className={`border-b border-rule ${marked.task(task, i) ? 'bg-soft' : 'hover:bg-soft/40'}`}>
              <td className="py-1">
                <button className="hover:text-accent" onClick={() => select({ kind: 'task', index: i })}>
                  {ms(task.start_ms)}
                </button>
              </td>
              <td className="text-right">{ms(task.duration_ms)}</td>
              <td className="text-right">{ms(task.blocking_ms)}</td>
              <td className="max-w-[220px] truncate pl-6" title={task.url ?? ''}>
                {task.url ? shortName(task.url) : <span className="text-ink-2">the page itself</span>}
              </td>
              <td className="text-ink-2">{task.owner.name}</td>
              <td>
                <span
                  className="mr-1.5 inline-block h-2 w-2"
                  style={{ background: WORK[task.kind].color }}
                  aria-hidden
                />
                {WORK[task.kind].words}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {tasks.length > MOST_TASKS && (
        <p className="mt-1 text-[12.5px] text-ink-2">
          {all ? tasks.length : MOST_TASKS} of {whole(tasks.length)}{' '}
          <button className="text-accent" onClick={() => setAll(!all)}>
            {all ? 'show fewer' : 'show all'}
          </button>
        </p>
      )}
    </section>
  );
}
