import { useVirtualizer } from '@tanstack/react-virtual';
import { useCallback, useEffect, useMemo, useRef } from 'react';
import { useVisits } from '../../api/queries';
import { FrameLane } from '../../parts/FrameLane';
import { NotKnown } from '../../parts/states';
import { timeEnd } from '../../parts/time';
import { SpanControls, TimeAxis, useWheelZoom } from '../../parts/TimeAxis';
import { useParam } from '../../parts/useParam';
import { useWhatIf, WhatIf } from '../../parts/WhatIf';
import { useTypedParam } from '../../parts/useTypedParam';
import { useSpan, zoomBy } from '../../parts/useSpan';
import { useWidth } from '../../parts/useWidth';
import { useRowKeys } from '../../shell/keys';
import { useReading } from '../../shell/reading';
import { ColumnMenu } from './ColumnMenu';
import { COLUMNS, sorted, USUAL, type Column } from './columns';
import { FACTS, filterRequests } from './filter';
import { Hint } from './Hint';
import { Lanes } from './Lanes';
import { GROUPS, grouped, union, type Group } from './items';
import { ASIDE, GAP, NAME, RING, ROW, TAG } from './layout';
import { Legend } from './Legend';
import { Cursor, Lines } from './Overlays';
import { GroupHead, optionId, Row } from './Row';

export default function RequestsView() {
  const { load, recording, number, select, marked, selection, pair, other } = useReading();
  const [area, width] = useWidth<HTMLDivElement>(720);
  const filter = useRef<HTMLInputElement>(null);
  const scroller = useRef<HTMLDivElement>(null);
  const [words, setWords] = useTypedParam('filter');
  const [order, setOrder] = useParam('sort', 'start');
  const [group, setGroup] = useParam('group');
  const [chosen, setChosen] = useParam('cols', USUAL.join(','));
  const [beside, setBeside] = useParam('beside');
  const end = timeEnd(load);
  const [span, setSpan] = useSpan(end);
  const columns = useMemo(() => COLUMNS.filter((c) => chosen.split(',').includes(c.id)), [chosen]);

  const what = useWhatIf();
  const moved = useMemo(
    () => what.foreseen && new Map(what.foreseen.moved.map((m) => [m.request, m])),
    [what.foreseen],
  );
  const both = beside === 'return' && pair !== undefined && !moved;
  const visits = useVisits(recording.id, both ? pair.first : undefined, both ? pair.again : undefined);
  const verdicts = useMemo(
    () => visits.data?.rows.map((row, i) => ({ ...row, why: visits.data.whys[i] ?? '' })),
    [visits.data],
  );
  const [items, total] = useMemo(() => {
    const isFirst = pair === undefined || number === pair.first;
    const rows = both ? union(load, other, verdicts, isFirst) : load.requests.map((row) => ({ row }));
    const byId = new Map(rows.map((r) => [r.row, r]));
    const shown = sorted(filterRequests([...byId.keys()], words), order).map((row) => byId.get(row) ?? { row });
    return [grouped(shown, group as Group), rows.length] as const;
  }, [load, other, verdicts, both, pair, number, words, order, group]);
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
  const active = selection?.kind === 'request' ? selection.id : marked.request;
  const at = requests.findIndex((i) => 'row' in i && i.row.id === active);
  const place = items.findIndex((i) => 'row' in i && i.row.id === active);
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
          className="field !w-[196px] font-mono text-[12.5px]"
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
        <WhatIf what={what} />
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
            tabIndex={0}
            aria-label="Requests, as a waterfall"
            aria-activedescendant={active !== null && at >= 0 ? optionId(active) : undefined}
          >
            <Lines load={load} span={span} lane={lane} left={leftWidth} height={list.getTotalSize()} />
            {list.getVirtualItems().map((virtual) => {
              const item = items[virtual.index];
              if (!item) return null;
              const style = { position: 'absolute', top: virtual.start, height: ROW, left: 0, right: 0 } as const;
              if ('head' in item) return <GroupHead key={`g ${item.key}`} item={item} style={style} load={load} />;
              return (
                <Row
                  key={item.row.id}
                  item={item}
                  top={virtual.start}
                  template={template}
                  columns={columns}
                  total={load.metrics.transferred_bytes ?? 0}
                  on={item.row.id === active || marked.row(item.row)}
                  span={span}
                  lane={lane}
                  both={both}
                  moved={moved?.get(item.row.id)}
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
      <Legend both={both} what={moved !== undefined} />
    </div>
  );
}
