import { useMemo, useRef, useState } from 'react';
import type { Analysis, LongTask, MainThread, WorkKind } from '../../api/types';
import { Ask } from '../../parts/Ask';
import { ms, plural, WORK, WORK_ORDER } from '../../parts/format';
import { NotKnown } from '../../parts/states';
import { ticks, TimeAxis, timeEnd } from '../../parts/TimeAxis';
import { useWidth } from '../../parts/useWidth';
import { useKeys } from '../../shell/keys';
import { shortName } from '../../shell/Margin';
import { useReading } from '../../shell/RecordingFrame';

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
      <Lane load={load} main={main} />
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

/** All tasks on the time axis; the long ones stand higher, and their part over 50 ms is notched. */
function Lane({ load, main }: { load: Analysis; main: MainThread }) {
  const { select, marked } = useReading();
  const [area, width] = useWidth<HTMLDivElement>(720);
  const [cursor, setCursor] = useState<number | null>(null);
  const end = timeEnd(load);
  const x = (at: number) => (at / end) * width;
  // Short tasks of one kind that fall on the same pixel are drawn once.
  const short = useMemo(() => {
    const paths: Partial<Record<WorkKind, string>> = {};
    main.tasks.start_ms.forEach((start, i) => {
      const duration = main.tasks.duration_ms[i] ?? 0;
      const kind = main.tasks.kind[i] ?? 'other';
      if (duration > 50 || start > end) return;
      const left = (start / end) * width;
      paths[kind] =
        `${paths[kind] ?? ''}M${left.toFixed(1)} 40h${Math.max(0.7, (duration / end) * width).toFixed(1)}v22h-${Math.max(0.7, (duration / end) * width).toFixed(1)}z`;
    });
    return paths;
  }, [main.tasks, end, width]);
  return (
    <section ref={area} className="mt-5 border-t border-rule-strong pt-2" aria-label="Tasks on the time axis">
      <TimeAxis load={load} end={end} width={width} />
      <svg
        width={width}
        height={74}
        className="block overflow-visible border-b border-rule-strong"
        onMouseMove={(e) => setCursor(e.clientX - e.currentTarget.getBoundingClientRect().left)}
        onMouseLeave={() => setCursor(null)}
      >
        {ticks(end, width).map((at) => (
          <line key={at} x1={x(at)} x2={x(at)} y1={0} y2={74} stroke="var(--rule)" />
        ))}
        {Object.entries(short).map(([kind, d]) => (
          <path key={kind} d={d} fill={WORK[kind as WorkKind].color} />
        ))}
        {main.long_tasks.map((task, i) => {
          const on = marked.task(task, i);
          const left = x(task.start_ms);
          const right = x(task.start_ms + task.duration_ms);
          return (
            <g key={i} className="cursor-pointer" onClick={() => select({ kind: 'task', index: i })}>
              <rect
                x={left}
                y={18}
                width={Math.max(2, right - left)}
                height={44}
                fill={WORK[task.kind].color}
                stroke={on ? 'var(--ink)' : 'none'}
                strokeWidth={2}
              />
              <rect
                x={x(task.start_ms + 50)}
                y={12}
                width={Math.max(1, right - x(task.start_ms + 50))}
                height={4}
                fill="var(--past)"
              />
              <title>{`${task.url ? shortName(task.url) : 'page'}: ${ms(task.duration_ms)} from ${ms(task.start_ms)}, adds ${ms(task.blocking_ms)} to TBT`}</title>
            </g>
          );
        })}
        {[load.metrics.fcp_ms, load.metrics.lcp_ms].map((at, i) =>
          at === null ? null : (
            <line key={i} x1={x(at)} x2={x(at)} y1={-16} y2={74} stroke="var(--ink)" strokeWidth="1.2" />
          ),
        )}
        {cursor !== null && (
          <>
            <line x1={cursor} x2={cursor} y1={0} y2={74} stroke="var(--accent)" />
            <text
              x={cursor > width - 60 ? cursor - 4 : cursor + 4}
              y={72}
              fontSize="11"
              textAnchor={cursor > width - 60 ? 'end' : 'start'}
              fill="var(--accent)"
            >
              {ms((cursor / width) * end)}
            </text>
          </>
        )}
      </svg>
      <p className="mt-1 text-[12px] text-ink-2">
        Long tasks stand higher; the bar above them is what exceeds 50 ms. Short tasks lie low. The table below lists
        the long ones.
      </p>
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
              <Ask how="Self time of the script’s pieces of work, and of the style, layout and paint that it forced, by kind.">
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
              <td className="text-right">{Math.round(script.total_ms).toLocaleString('en')}</td>
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
            <tr
              key={`${o.kind} ${o.name}`}
              className={`border-b border-rule ${marked.owner === o.name ? 'bg-soft' : ''}`}
            >
              <td className="py-1">
                <button className="hover:text-accent" onClick={() => select({ kind: 'owner', name: o.name })}>
                  {o.name}
                </button>
              </td>
              <td className="text-ink-2">{o.kind.replace('_', ' ')}</td>
              <td className="text-right">{Math.round(o.main_thread_ms ?? 0).toLocaleString('en')}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}

function LongTasks({ tasks }: { tasks: LongTask[] }) {
  const { select, marked, selection } = useReading();
  const table = useRef<HTMLTableElement>(null);
  const at = selection?.kind === 'task' ? selection.index : -1;
  const go = (next: number) => {
    const index = Math.max(0, Math.min(tasks.length - 1, next));
    if (tasks.length) select({ kind: 'task', index });
    table.current?.querySelectorAll('button')[index]?.focus();
  };
  useKeys({ j: () => go(at + 1), k: () => go(at - 1), ArrowDown: () => go(at + 1), ArrowUp: () => go(at - 1) });
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
          {tasks.map((task, i) => (
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
    </section>
  );
}
