import { memo } from 'react';
import type { Analysis } from '../../api/queries';
import type { MovedRequest, RequestRow } from '../../api/types';
import { bytes, ms, OUTCOMES, plural } from '../../parts/format';
import { KindTag } from '../../parts/KindTag';
import type { Span } from '../../parts/useSpan';
import type { Reading } from '../../shell/reading';
import { Bar } from './Bar';
import type { Column } from './columns';
import type { Item, RowItem } from './items';
import { GAP, ROW } from './layout';
import { barInWords } from './words';

/** The element id of a request's row: the list says by it which row is active. */
export const optionId = (request: number) => `request-${request}`;

/** The head of a group, with its sums. */
export function GroupHead({
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

/** A request's row. It is drawn anew only when what it shows changes. */
export const Row = memo(function Row(props: {
  item: RowItem;
  top: number;
  template: string;
  columns: Column[];
  total: number;
  on: boolean;
  span: Span;
  lane: number;
  both: boolean;
  moved: MovedRequest | undefined;
  select: Reading['select'];
}) {
  const { row, again, verdict } = props.item;
  const pick = () => props.select({ kind: 'request', id: row.id });
  const bad = row.failed || (row.status ?? 0) >= 400;
  return (
    <div
      role="option"
      id={optionId(row.id)}
      aria-selected={props.on}
      onClick={pick}
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
      ) : props.moved ? (
        <span className="flex flex-col">
          <Bar row={row} span={props.span} width={props.lane} height={14} />
          <Forecast row={row} moved={props.moved} span={props.span} width={props.lane} />
        </span>
      ) : (
        <Bar row={row} span={props.span} width={props.lane} />
      )}
      <span className="sr-only">
        {barInWords(row)}
        {props.moved && `; ${movedInWords(props.moved)}`}
      </span>
    </div>
  );
});

/** Where the request would stand on the time axis, by forecast. */
function Forecast({ row, moved, span, width }: { row: RequestRow; moved: MovedRequest; span: Span; width: number }) {
  if (moved.start_ms === null)
    return <span className="h-2.5 text-[10px] leading-[10px] text-ink-2">not asked for</span>;
  const there: RequestRow = {
    ...row,
    start_ms: moved.start_ms,
    connect_start_ms: null,
    connect_end_ms: null,
    sent_ms: moved.sent_ms,
    first_byte_ms: moved.first_byte_ms,
    end_ms: moved.end_ms,
    released_ms: null,
  };
  return (
    <span className="opacity-60">
      <Bar row={there} span={span} width={width} height={10} />
    </span>
  );
}

const movedInWords = (moved: MovedRequest) =>
  moved.start_ms === null
    ? 'by forecast not asked for'
    : `by forecast from ${ms(moved.start_ms)} to ${ms(moved.end_ms)}`;
