import { useVirtualizer } from '@tanstack/react-virtual';
import { Columns3 } from 'lucide-react';
import { DropdownMenu } from 'radix-ui';
import { memo, useCallback, useEffect, useMemo, useRef, useState } from 'react';
import { useLoad, useVisits } from '../../api/queries';
import type { Analysis, RequestRow, ReturnRow } from '../../api/types';
import { bytes, KINDS, ms, OUTCOMES, plural } from '../../parts/format';
import { FrameLane } from '../../parts/FrameLane';
import { KindTag } from '../../parts/KindTag';
import { NotKnown } from '../../parts/states';
import { moments, SpanControls, ticks, TimeAxis, timeEnd, useWheelZoom } from '../../parts/TimeAxis';
import { useParam } from '../../parts/useParam';
import { useSpan, zoomBy, type Span } from '../../parts/useSpan';
import { useWidth } from '../../parts/useWidth';
import { useRowKeys } from '../../shell/keys';
import { useReading } from '../../shell/RecordingFrame';
import { Bar, barInWords } from './Bar';
import { COLUMNS, sorted, USUAL, type Column } from './columns';
import { FACTS, filterRequests } from './filter';
import { Hint } from './Hint';
import { Lanes } from './Lanes';
import { Legend } from './Legend';

const ROW = 26;
/** Ring, kind and name: what stands left of the chosen columns. */
const RING = 14;
const TAG = 44;
const NAME = 168;
const GAP = 8;
/** The sheet's own padding, and a little air at the right. */
const ASIDE = 40 + 6;

type Group = '' | 'owner' | 'domain' | 'kind';
const GROUPS: [Group, string][] = [
  ['', 'not grouped'],
  ['owner', 'by owner'],
  ['domain', 'by domain'],
  ['kind', 'by kind'],
];

/** A row of the list: a group's head, or a request (with the return visit's, side by side). */
type Item =
  | { head: string; count: number; transferred: number; unpacked: number; from: number; to: number }
  | { row: RequestRow; again?: RequestRow | undefined; verdict?: ReturnRow | undefined };

export default function RequestsView() {
  const { load, recording, number, select, marked, pair } = useReading();
  const [area, width] = useWidth<HTMLDivElement>(720);
  const filter = useRef<HTMLInputElement>(null);
  const scroller = useRef<HTMLDivElement>(null);
  const [filterText, setFilterText] = useParam('filter');
  const [words, setWords] = useState(filterText);
  const [order, setOrder] = useParam('sort', 'start');
  const [group, setGroup] = useParam('group');
  const [chosen, setChosen] = useParam('cols', USUAL.join(','));
  const [beside, setBeside] = useParam('beside');
  // The address follows the field, not the other way round: typing must not wait for navigation.
  useEffect(() => {
    const timer = setTimeout(() => filterText !== words && setFilterText(words), 200);
    return () => clearTimeout(timer);
  });
  const end = timeEnd(load);
  const [span, setSpan] = useSpan(end);
  const columns = useMemo(() => COLUMNS.filter((c) => chosen.split(',').includes(c.id)), [chosen]);

  const both = beside === 'return' && pair !== undefined;
  const visits = useVisits(recording.id, both ? pair.first : undefined, both ? pair.again : undefined);
  const other = useLoad(recording.id, both ? (number === pair.first ? pair.again : pair.first) : undefined);
  const [items, total] = useMemo(() => {
    const isFirst = pair === undefined || number === pair.first;
    const rows = both ? union(load, other.data, visits.data?.rows, isFirst) : load.requests.map((row) => ({ row }));
    const byId = new Map(rows.map((r) => [r.row, r]));
    const shown = sorted(filterRequests([...byId.keys()], words), order).map((row) => byId.get(row) ?? { row });
    return [grouped(shown, group as Group), rows.length] as const;
  }, [load, other.data, visits.data, both, pair, number, words, order, group]);
  const requests = useMemo(() => items.filter((i) => 'row' in i), [items]);
  const rowOf = useCallback(
    (id: number) => requests.flatMap((i) => ('row' in i && i.row.id === id ? [i.row] : []))[0],
    [requests],
  );

  const leftWidth =
    RING + TAG + NAME + columns.reduce((sum, c) => sum + c.width + GAP, 0) + 3 * GAP + (both ? 92 + GAP : 0);
  const template = `${RING}px ${TAG}px ${NAME}px ${columns.map((c) => `${c.width}px`).join(' ')} ${both ? '92px ' : ''}minmax(0,1fr)`;
  const lane = Math.max(140, width - leftWidth - ASIDE);
  const wheel = useWheelZoom<HTMLDivElement>(leftWidth, lane, end, setSpan);
  const list = useVirtualizer({
    count: items.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => ROW,
    overscan: 10,
  });
  const at = requests.findIndex((i) => 'row' in i && i.row.id === marked.request);
  const place = items.findIndex((i) => 'row' in i && i.row.id === marked.request);
  useEffect(() => {
    if (place >= 0) list.scrollToIndex(place, { align: 'auto' });
    // Only when another row is picked.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [place]);
  const go = (next: number) => {
    const item = requests[next];
    if (item && 'row' in item) select({ kind: 'request', id: item.row.id });
  };
  const zoom = (factor: number) => setSpan((now) => zoomBy(now, factor, end));
  useRowKeys(at, requests.length, go, {
    '/': () => filter.current?.focus(),
    '+': () => zoom(0.5),
    '-': () => zoom(2),
    '0': () => setSpan(null),
  });
  const head = (column: Column) => {
    const on = order.replace('-', '') === column.id;
    return (
      <button
        key={column.id}
        className={`truncate text-[12px] ${column.right ? 'text-right' : 'text-left'} ${on ? 'font-semibold text-ink' : 'text-ink-2 hover:text-ink'}`}
        aria-pressed={on}
        onClick={() => setOrder(on && !order.startsWith('-') ? `-${column.id}` : column.id)}
        title={`Sort by ${column.name}. ${column.how}`}
      >
        {column.name}
      </button>
    );
  };
  return (
    <div className="flex h-full flex-col px-5 pt-3" ref={area}>
      <h1 className="sr-only">Requests</h1>
      <div className="flex flex-wrap items-center gap-x-3 gap-y-1 text-[13px] text-ink-2">
        <input
          ref={filter}
          aria-label="Filter requests by words and facts"
          className="field !w-[230px] font-mono text-[12.5px]"
          placeholder="kind:script size>100kB   /"
          list="request-facts"
          value={words}
          onChange={(e) => setWords(e.target.value)}
          onKeyDown={(e) => e.key === 'Escape' && e.currentTarget.blur()}
        />
        <datalist id="request-facts">
          {FACTS.map((fact) => (
            <option key={fact} value={fact} />
          ))}
        </datalist>
        <span aria-live="polite" className="whitespace-nowrap">
          {requests.length} of {total} requests
        </span>
        <select
          aria-label="Group"
          className="rounded border border-rule-strong bg-sheet px-1 py-0.5"
          value={group}
          onChange={(e) => setGroup(e.target.value)}
        >
          {GROUPS.map(([id, name]) => (
            <option key={id} value={id}>
              {name}
            </option>
          ))}
        </select>
        <ColumnMenu chosen={chosen.split(',').filter(Boolean)} set={(ids) => setChosen(ids.join(','))} />
        {pair && (
          <button
            className="btn !px-2 !py-0.5 text-[12.5px]"
            aria-pressed={both}
            onClick={() => setBeside(both ? '' : 'return')}
          >
            both visits
          </button>
        )}
      </div>
      <NotKnown
        reasons={load.missing
          .filter((m) => m.subject === 'render_blocking' || m.subject === 'initiators')
          .map((m) => m.why)}
      />
      <div ref={wheel} className="flex min-h-0 flex-1 flex-col">
        <div className="mt-2 flex items-end">
          <span className="shrink-0 pb-1" style={{ width: leftWidth }}>
            <SpanControls span={span} end={end} onSpan={setSpan} />
          </span>
          <span>
            <FrameLane load={load} recording={recording.id} number={number} span={span} width={lane} height={40} />
            <Lanes load={load} span={span} width={lane} />
          </span>
        </div>
        <div
          className="mt-1 grid items-end border-b border-rule-strong"
          style={{ gridTemplateColumns: template, gap: GAP }}
        >
          <span />
          {head(COLUMNS.find((c) => c.id === 'kind') as Column)}
          <button
            className={`text-left text-[12px] ${order === 'start' ? 'font-semibold text-ink' : 'text-ink-2 hover:text-ink'}`}
            aria-pressed={order === 'start'}
            onClick={() => setOrder('start')}
            title="Sort by start"
          >
            Request
          </button>
          {columns.map(head)}
          {both && <span className="text-[12px] text-ink-2">Return visit</span>}
          <TimeAxis load={load} span={span} width={lane} end={end} onSpan={setSpan} />
        </div>
        <div ref={scroller} className="relative min-h-0 flex-1 overflow-y-auto overflow-x-hidden">
          <div
            style={{ height: list.getTotalSize(), position: 'relative' }}
            role="listbox"
            aria-label="Requests, as a waterfall"
          >
            <Lines load={load} span={span} lane={lane} left={leftWidth} height={list.getTotalSize()} />
            {list.getVirtualItems().map((virtual) => {
              const item = items[virtual.index];
              if (!item) return null;
              const style = { position: 'absolute', top: virtual.start, height: ROW, left: 0, right: 0 } as const;
              if ('head' in item) return <GroupHead key={`g ${item.head}`} item={item} style={style} load={load} />;
              return (
                <Row
                  key={item.row.id}
                  item={item}
                  top={virtual.start}
                  template={template}
                  columns={columns}
                  total={load.metrics.transferred_bytes ?? 0}
                  on={marked.row(item.row)}
                  span={span}
                  lane={lane}
                  both={both}
                  select={select}
                />
              );
            })}
          </div>
          <Hint scroller={scroller} rowOf={rowOf} />
          <Cursor left={leftWidth} lane={lane} span={span} scroller={scroller} />
          {requests.length === 0 && <p className="py-6 text-ink-2">No request fits the filter.</p>}
        </div>
      </div>
      <Legend both={both} />
    </div>
  );
}

/** Requests of both visits: those of the load in hand, each with the other visit's, then the rest. */
function union(load: Analysis, other: Analysis | undefined, verdicts: ReturnRow[] | undefined, isFirst: boolean) {
  const rows: Extract<Item, { row: RequestRow }>[] = [];
  const seen = new Set<number>();
  for (const verdict of verdicts ?? []) {
    const here = isFirst ? verdict.first : verdict.again;
    const there = isFirst ? verdict.again : verdict.first;
    const again = there === null ? undefined : other?.requests[there];
    if (here !== null) {
      const row = load.requests[here];
      if (row) {
        seen.add(here);
        rows.push({ row, again, verdict });
      }
    } else if (again) {
      // It has no place in this load; a number below zero tells it from those that do.
      rows.push({ row: { ...again, id: -1 - again.id }, verdict });
    }
  }
  for (const row of load.requests) if (!seen.has(row.id)) rows.push({ row });
  return rows;
}

function grouped(rows: Extract<Item, { row: RequestRow }>[], group: Group): Item[] {
  if (!group) return rows;
  const groups = new Map<string, Extract<Item, { row: RequestRow }>[]>();
  for (const item of rows) {
    const r = item.row;
    const key = group === 'owner' ? r.owner.name : group === 'domain' ? (r.host ?? 'no host') : KINDS[r.kind].words;
    const list = groups.get(key);
    if (list) list.push(item);
    else groups.set(key, [item]);
  }
  const heads = [...groups].map(([head, list]) => {
    const sum = (of: (r: RequestRow) => number | null) => list.reduce((all, i) => all + (of(i.row) ?? 0), 0);
    return {
      list,
      head: {
        head,
        count: list.length,
        transferred: sum((r) => r.transferred_bytes),
        unpacked: sum((r) => r.unpacked_bytes),
        from: list.reduce((least, i) => Math.min(least, i.row.start_ms), Infinity),
        to: list.reduce((most, i) => Math.max(most, i.row.end_ms ?? i.row.start_ms), 0),
      },
    };
  });
  return heads.sort((a, b) => b.head.transferred - a.head.transferred).flatMap((g) => [g.head, ...g.list]);
}

function GroupHead({
  item,
  style,
  load,
}: {
  item: Extract<Item, { head: string }>;
  style: React.CSSProperties;
  load: Analysis;
}) {
  const total = load.metrics.transferred_bytes;
  return (
    <div style={style} className="flex items-end gap-4 border-b border-rule-strong bg-paper px-1 pb-0.5 text-[13px]">
      <strong className="truncate">{item.head}</strong>
      <span className="text-ink-2">
        {plural(item.count, 'request')}, {bytes(item.transferred)} over the line, {bytes(item.unpacked)} unpacked
        {total ? `, ${((item.transferred / total) * 100).toFixed(1)} % of the load` : ''}, from {ms(item.from)} to{' '}
        {ms(item.to)}
      </span>
    </div>
  );
}

const Row = memo(function Row(props: {
  item: Extract<Item, { row: RequestRow }>;
  top: number;
  template: string;
  columns: Column[];
  total: number;
  on: boolean;
  span: Span;
  lane: number;
  both: boolean;
  select: ReturnType<typeof useReading>['select'];
}) {
  const { row, again, verdict } = props.item;
  const pick = () => props.select({ kind: 'request', id: row.id });
  const bad = row.failed || (row.status ?? 0) >= 400;
  return (
    <div
      role="option"
      tabIndex={0}
      aria-selected={props.on}
      onClick={pick}
      onKeyDown={(e) => {
        if (e.key === 'Enter' || e.key === ' ') {
          e.preventDefault();
          pick();
        }
      }}
      data-request={row.id}
      style={{
        position: 'absolute',
        top: props.top,
        height: ROW,
        left: 0,
        right: 0,
        gridTemplateColumns: props.template,
        gap: GAP,
      }}
      className={`grid cursor-pointer items-center border-b border-rule/60 text-[13px] ${props.on ? 'bg-soft' : 'hover:bg-soft/40'}`}
    >
      <span aria-hidden className="flex justify-center">
        {row.on_path && <span className="h-2.5 w-2.5 rounded-full border-[2.5px] border-ink" />}
      </span>
      <KindTag kind={row.kind} />
      <span className={`truncate ${bad ? 'text-past' : ''}`}>
        {row.name}
        {(row.status ?? 0) >= 300 && <span className="ml-1 text-[12px] text-ink-2">{row.status}</span>}
      </span>
      {props.columns.map((c) => (
        <span key={c.id} className={`truncate ${c.right ? 'text-right' : 'text-ink-2'}`}>
          {c.text(row, props.total)}
        </span>
      ))}
      {props.both && (
        <span
          className="truncate text-[12px] text-ink-2"
          title={verdict ? `${verdict.header ?? ''} ${verdict.why}` : ''}
        >
          {verdict ? OUTCOMES[verdict.outcome] : ''}
        </span>
      )}
      {props.both ? (
        <span className="flex flex-col">
          <Bar row={row} span={props.span} width={props.lane} height={14} />
          {again ? (
            <span className="opacity-60">
              <Bar row={again} span={props.span} width={props.lane} height={10} />
            </span>
          ) : (
            <span className="block h-2.5" />
          )}
        </span>
      ) : (
        <Bar row={row} span={props.span} width={props.lane} />
      )}
      <span className="sr-only">{barInWords(row)}</span>
    </div>
  );
});

/** Grid lines and vital moments through all rows. */
function Lines(props: { load: Analysis; span: Span; lane: number; left: number; height: number }) {
  const { load, span, lane, left } = props;
  const x = (at: number) => left + ((at - span.from) / (span.to - span.from)) * lane;
  const inside = (at: number) => at >= span.from && at <= span.to;
  return (
    <div aria-hidden className="pointer-events-none absolute inset-0" style={{ height: props.height }}>
      {ticks(span, lane).map((at) => (
        <span key={at} className="absolute inset-y-0 w-px bg-rule" style={{ left: x(at) }} />
      ))}
      {moments(load)
        .filter((m) => inside(m.at))
        .map((m) => (
          <span
            key={m.name}
            className="absolute inset-y-0 w-px bg-ink"
            style={{ left: x(m.at), opacity: m.name === 'FCP' || m.name === 'LCP' ? 1 : 0.4 }}
          />
        ))}
    </div>
  );
}

/** The cursor through all rows. It moves without drawing the rows anew. */
function Cursor(props: { left: number; lane: number; span: Span; scroller: React.RefObject<HTMLDivElement | null> }) {
  const [at, setAt] = useState<number | null>(null);
  const { left, lane, span, scroller } = props;
  useEffect(() => {
    const element = scroller.current;
    if (!element) return;
    const move = (e: MouseEvent) => {
      const offset = e.clientX - element.getBoundingClientRect().left - left;
      setAt(offset >= 0 && offset <= lane ? offset : null);
    };
    const leave = () => setAt(null);
    element.addEventListener('mousemove', move);
    element.addEventListener('mouseleave', leave);
    return () => {
      element.removeEventListener('mousemove', move);
      element.removeEventListener('mouseleave', leave);
    };
  }, [scroller, left, lane]);
  if (at === null) return null;
  return (
    <div className="pointer-events-none absolute inset-y-0 w-px bg-accent" style={{ left: left + at }} aria-hidden>
      <span className="sticky top-0 ml-1 inline-block whitespace-nowrap bg-accent px-1 text-[11px] text-sheet">
        {ms(span.from + (at / lane) * (span.to - span.from))}
      </span>
    </div>
  );
}

function ColumnMenu({ chosen, set }: { chosen: string[]; set: (ids: string[]) => void }) {
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger className="btn !px-2 !py-0.5 text-[12.5px]">
        <Columns3 size={13} aria-hidden /> columns
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content
          align="start"
          sideOffset={4}
          className="z-40 max-h-[70vh] overflow-auto rounded border border-rule-strong bg-sheet py-1 text-[13px] shadow-md"
        >
          {COLUMNS.map((column) => (
            <DropdownMenu.CheckboxItem
              key={column.id}
              className="flex cursor-pointer items-center gap-2 px-3 py-1 outline-none data-[highlighted]:bg-soft"
              checked={chosen.includes(column.id)}
              onSelect={(e) => e.preventDefault()}
              onCheckedChange={(on) =>
                set(COLUMNS.map((c) => c.id).filter((id) => (id === column.id ? on : chosen.includes(id))))
              }
            >
              <span className="w-3">{chosen.includes(column.id) ? '✓' : ''}</span>
              {column.name}
              <span className="ml-auto max-w-[260px] truncate pl-4 text-[12px] text-ink-2">{column.how}</span>
            </DropdownMenu.CheckboxItem>
          ))}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}
