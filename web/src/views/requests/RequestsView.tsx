import { useVirtualizer } from '@tanstack/react-virtual';
import { useEffect, useMemo, useRef, useState } from 'react';
import { useSearchParams } from 'react-router';
import type { RequestRow } from '../../api/types';
import { kB, ms } from '../../parts/format';
import { Frame, frameAt } from '../../parts/FrameStrip';
import { KindTag } from '../../parts/KindTag';
import { NotKnown } from '../../parts/states';
import { moments, ticks, TimeAxis, timeEnd } from '../../parts/TimeAxis';
import { useWidth } from '../../parts/useWidth';
import { Tooltip } from 'radix-ui';
import { Tip } from '../../parts/Ask';
import { useKeys } from '../../shell/keys';
import { useReading } from '../../shell/RecordingFrame';
import { Bar, barInWords } from './Bar';
import { filterRequests } from './filter';

const ROW = 26;
/** Ring, kind, name, owner, kB: what stands left of the bars. */
const LEFT = 'grid-cols-[14px_44px_minmax(0,168px)_88px_44px_minmax(0,1fr)]';
const LEFT_WIDTH = 14 + 44 + 168 + 88 + 44 + 5 * 8;
/** The sheet's own padding, and a little air at the right. */
const ASIDE = 40 + 6;

type Order = 'start' | 'size' | 'duration' | 'owner' | 'kind';
const ORDERS: Record<Order, (a: RequestRow, b: RequestRow) => number> = {
  start: (a, b) => a.start_ms - b.start_ms || a.id - b.id,
  size: (a, b) => (b.transferred_bytes ?? -1) - (a.transferred_bytes ?? -1),
  duration: (a, b) => (b.end_ms ?? Infinity) - b.start_ms - ((a.end_ms ?? Infinity) - a.start_ms),
  owner: (a, b) => a.owner.name.localeCompare(b.owner.name) || a.start_ms - b.start_ms,
  kind: (a, b) => a.kind.localeCompare(b.kind) || a.start_ms - b.start_ms,
};

export default function RequestsView() {
  const { load, recording, number, select, marked } = useReading();
  const [params, setParams] = useSearchParams();
  const [area, width] = useWidth<HTMLDivElement>(720);
  const [cursor, setCursor] = useState<number | null>(null);
  const filter = useRef<HTMLInputElement>(null);
  const scroller = useRef<HTMLDivElement>(null);
  const [words, setWords] = useState(params.get('filter') ?? '');
  const named = params.get('sort') ?? 'start';
  const order: Order = named in ORDERS ? (named as Order) : 'start';
  const set = (key: string, value: string) =>
    setParams(
      (before) => {
        const after = new URLSearchParams(before);
        if (value) after.set(key, value);
        else after.delete(key);
        return after;
      },
      { replace: true },
    );
  // The address follows the field, not the other way round: typing must not wait for navigation.
  useEffect(() => {
    const timer = setTimeout(() => (params.get('filter') ?? '') !== words && set('filter', words), 200);
    return () => clearTimeout(timer);
  });
  const rows = useMemo(
    () => filterRequests(load.requests, words).toSorted(ORDERS[order]),
    [load.requests, words, order],
  );
  const end = timeEnd(load);
  const lane = Math.max(120, width - LEFT_WIDTH - ASIDE);
  const list = useVirtualizer({
    count: rows.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => ROW,
    overscan: 12,
  });
  const at = rows.findIndex((r) => r.id === marked.request);
  useEffect(() => {
    if (at >= 0) list.scrollToIndex(at, { align: 'auto' });
    // Only when another row is picked.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [at]);
  const go = (next: number) => {
    const row = rows[Math.max(0, Math.min(rows.length - 1, next))];
    if (row) select({ kind: 'request', id: row.id });
  };
  useKeys({
    '/': () => filter.current?.focus(),
    j: () => go(at + 1),
    k: () => go(at - 1),
    ArrowDown: () => go(at + 1),
    ArrowUp: () => go(at - 1),
  });
  const viewport = load.conditions ?? { width: 1280, height: 800 };
  const frameWidth = (46 * viewport.width) / viewport.height;
  const count = Math.max(2, Math.floor(lane / (frameWidth + 10)));
  const head = (key: Order, text: string, right = false) => (
    <button
      className={`truncate text-[12px] ${right ? 'text-right' : 'text-left'} ${order === key ? 'font-semibold text-ink' : 'text-ink-2 hover:text-ink'}`}
      aria-pressed={order === key}
      onClick={() => set('sort', key === 'start' ? '' : key)}
      title={`Sort by ${key}`}
    >
      {text}
    </button>
  );
  return (
    <div className="flex h-full flex-col px-5 pt-3" ref={area}>
      <h1 className="sr-only">Requests</h1>
      <div className="flex items-center gap-4 text-[13px] text-ink-2">
        <input
          ref={filter}
          aria-label="Filter requests by words and facts"
          className="field w-[290px] font-mono text-[12.5px]"
          placeholder="kind:script or size>100kB   /"
          value={words}
          onChange={(e) => setWords(e.target.value)}
          onKeyDown={(e) => e.key === 'Escape' && e.currentTarget.blur()}
        />
        <span aria-live="polite">
          {rows.length} of {load.requests.length} requests
        </span>
        <span className="ml-auto flex gap-3" role="group" aria-label="Sort">
          sort: {head('start', 'start')} {head('duration', 'duration')}
        </span>
      </div>
      <NotKnown
        reasons={load.missing
          .filter((m) => m.subject === 'render_blocking' || m.subject === 'initiators')
          .map((m) => m.why)}
      />
      {load.frames.length > 0 && (
        <div className={`mt-2 grid gap-2 ${LEFT}`} aria-hidden>
          <span className="col-span-5" />
          <span className="flex justify-between">
            {Array.from({ length: count }, (_, i) => {
              const time = (end * (i + 0.5)) / count;
              const frame = frameAt(load.frames, time);
              return frame ? (
                <Frame key={i} recording={recording.id} load={number} frame={frame} viewport={viewport} height={46} />
              ) : null;
            })}
          </span>
        </div>
      )}
      <div className={`mt-1 grid items-end gap-2 border-b border-rule-strong ${LEFT}`}>
        <span />
        {head('kind', 'Kind')}
        {head('start', 'Request')}
        {head('owner', 'Owner')}
        {head('size', 'kB', true)}
        <TimeAxis load={load} end={end} width={lane} />
      </div>
      <div
        ref={scroller}
        className="relative min-h-0 flex-1 overflow-y-auto overflow-x-hidden"
        onMouseMove={(e) => {
          const left = e.currentTarget.getBoundingClientRect().left + LEFT_WIDTH;
          const offset = e.clientX - left;
          setCursor(offset >= 0 && offset <= lane ? offset : null);
        }}
        onMouseLeave={() => setCursor(null)}
      >
        <div
          style={{ height: list.getTotalSize(), position: 'relative' }}
          role="listbox"
          aria-label="Requests, as a waterfall"
        >
          <Lines load={load} end={end} lane={lane} height={list.getTotalSize()} />
          {list.getVirtualItems().map((item) => {
            const row = rows[item.index];
            if (!row) return null;
            const on = marked.row(row);
            return (
              <Tooltip.Root key={row.id} delayDuration={500}>
                <Tooltip.Trigger asChild>
                  <div
                    role="option"
                    tabIndex={0}
                    aria-selected={on}
                    onClick={() => select({ kind: 'request', id: row.id })}
                    onKeyDown={(e) => {
                      if (e.key === 'Enter' || e.key === ' ') {
                        e.preventDefault();
                        select({ kind: 'request', id: row.id });
                      }
                    }}
                    style={{ position: 'absolute', top: item.start, height: ROW, left: 0, right: 0 }}
                    className={`grid cursor-pointer items-center gap-2 border-b border-rule/60 text-[13px] ${LEFT} ${on ? 'bg-soft' : 'hover:bg-soft/40'}`}
                  >
                    <span aria-hidden className="flex justify-center">
                      {row.on_path && <span className="h-2.5 w-2.5 rounded-full border-[2.5px] border-ink" />}
                    </span>
                    <KindTag kind={row.kind} />
                    <span className={`truncate ${row.failed || (row.status ?? 0) >= 400 ? 'text-past' : ''}`}>
                      {row.name}
                      {(row.status ?? 0) >= 300 && <span className="ml-1 text-[12px] text-ink-2">{row.status}</span>}
                    </span>
                    <span className="truncate text-ink-2">{row.owner.name}</span>
                    <span className="text-right">{kB(row.transferred_bytes)}</span>
                    <Bar row={row} end={end} width={lane} />
                    <span className="sr-only">{barInWords(row)}</span>
                  </div>
                </Tooltip.Trigger>
                <Tip>
                  <Phases row={row} />
                </Tip>
              </Tooltip.Root>
            );
          })}
          {cursor !== null && (
            <div
              className="pointer-events-none absolute inset-y-0 w-px bg-accent"
              style={{ left: LEFT_WIDTH + cursor }}
              aria-hidden
            >
              <span className="sticky top-0 ml-1 inline-block bg-accent px-1 text-[11px] text-sheet">
                {ms((cursor / lane) * end)}
              </span>
            </div>
          )}
        </div>
        {rows.length === 0 && <p className="py-6 text-ink-2">No request fits the filter.</p>}
      </div>
      <Legend />
    </div>
  );
}

/** Grid lines and vital moments through all rows. */
function Lines({
  load,
  end,
  lane,
  height,
}: {
  load: Parameters<typeof moments>[0];
  end: number;
  lane: number;
  height: number;
}) {
  const x = (at: number) => LEFT_WIDTH + (at / end) * lane;
  return (
    <div aria-hidden className="pointer-events-none absolute inset-0" style={{ height }}>
      {ticks(end, lane).map((at) => (
        <span key={at} className="absolute inset-y-0 w-px bg-rule" style={{ left: x(at) }} />
      ))}
      {moments(load).map((m) => (
        <span
          key={m.name}
          className="absolute inset-y-0 w-px bg-ink"
          style={{ left: x(m.at), opacity: m.name === 'FCP' || m.name === 'LCP' ? 1 : 0.4 }}
        />
      ))}
    </div>
  );
}

function Phases({ row }: { row: RequestRow }) {
  const gap = (a: number | null, b: number | null) => (a === null || b === null ? 'not known' : ms(Math.max(0, b - a)));
  const rows: [string, string][] = [
    ['asked for at', ms(row.start_ms)],
    ['queued', gap(row.start_ms, row.connect_start_ms ?? row.sent_ms)],
    ['connecting', row.connect_start_ms === null ? 'connection in use' : gap(row.connect_start_ms, row.connect_end_ms)],
    ['waiting', gap(row.sent_ms, row.first_byte_ms)],
    ['receiving', gap(row.first_byte_ms, row.end_ms)],
  ];
  return (
    <>
      <strong className="[overflow-wrap:anywhere]">{row.name}</strong>
      {rows.map(([name, value]) => (
        <span key={name} className="flex justify-between gap-6">
          <span className="text-ink-2">{name}</span>
          <span>{value}</span>
        </span>
      ))}
      {row.render_blocking === 'blocking' && (
        <span className="block">holds up rendering until {ms(row.released_ms)}</span>
      )}
    </>
  );
}

function Legend() {
  return (
    <p className="flex flex-wrap items-center gap-x-5 border-t border-rule py-2 text-[12px] text-ink-2" aria-hidden>
      <span>
        <svg width="28" height="10" className="mr-1.5 inline">
          <line x1="0" x2="28" y1="5" y2="5" stroke="currentColor" strokeWidth="1.6" strokeDasharray="1.5 3" />
        </svg>
        queued
      </span>
      <span>
        <svg width="28" height="10" className="mr-1.5 inline">
          <path d="M0 3h28M0 7h28" stroke="currentColor" strokeWidth="1.3" />
        </svg>
        connecting
      </span>
      <span>
        <svg width="28" height="12" className="mr-1.5 inline">
          <rect x="0.5" y="0.5" width="27" height="11" fill="none" stroke="currentColor" />
        </svg>
        waiting
      </span>
      <span>
        <svg width="28" height="12" className="mr-1.5 inline">
          <rect width="28" height="12" fill="currentColor" />
        </svg>
        receiving
      </span>
      <span>
        <svg width="28" height="10" className="mr-1.5 inline">
          <rect y="4" width="28" height="2.4" fill="var(--keel)" />
        </svg>
        holds up rendering
      </span>
      <span>
        <span className="mr-1.5 inline-block h-2.5 w-2.5 translate-y-px rounded-full border-[2.5px] border-ink" />
        on the path to LCP
      </span>
    </p>
  );
}
