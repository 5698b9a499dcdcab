import { useMemo, useState } from 'react';
import type { Owner, ServerAnswer, SpanRow } from '../../api/types';
import { Ask } from '../../parts/Ask';
import { ms, plural, whole } from '../../parts/format';
import { ownerKey } from '../../parts/names';
import { ticks, tickText } from '../../parts/time';
import { useWidth } from '../../parts/useWidth';
import { extent, lanes, stretches } from './lanes';
import { Queries } from './Queries';
import { SPAN_ORDER, SPANS } from './words';

const NAME = 150;
const FIGURE = 64;
const ROW = 22;

/** What the server did for one answer: on the time axis by owner, by kind, and query by query. */
export function AnswerWork({
  answer,
  pick,
  picked,
  findingOf,
}: {
  answer: ServerAnswer;
  /** Selects an owner. */
  pick?: (owner: Owner) => void;
  picked?: string | undefined;
  /** Leads from a query to the finding about it. */
  findingOf?: (text: string) => (() => void) | undefined;
}) {
  if (answer.told_by === 'nobody') return null;
  return (
    <>
      {answer.told_by === 'spans' ? (
        <>
          <Making answer={answer} pick={pick} picked={picked} />
          <ByKind answer={answer} />
        </>
      ) : (
        <Shares answer={answer} pick={pick} picked={picked} />
      )}
      {answer.queries.length > 0 && <Queries answer={answer} findingOf={findingOf} />}
    </>
  );
}

/** An answer, and the owner that is picked. */
interface Told {
  answer: ServerAnswer;
  pick: ((owner: Owner) => void) | undefined;
  picked: string | undefined;
}

/** Sums by owner, where the server told no more than that. */
function Shares({ answer, pick, picked }: Told) {
  const top = answer.by_owner[0]?.ms ?? 1;
  return (
    <section className="mt-4" aria-label="By owner">
      <p className="text-[13px] text-ink-2">
        The server tells sums in its Server-Timing header, and neither when nor in what the time was spent.
      </p>
      <table className="mt-2 w-full max-w-[640px] text-[13px]">
        <tbody>
          {answer.by_owner.map((share) => (
            <tr
              key={ownerKey(share.owner)}
              className={`border-b border-rule ${picked === ownerKey(share.owner) ? 'bg-soft' : ''}`}
            >
              <td className="w-[180px] py-1">
                <button className="hover:text-accent" onClick={() => pick?.(share.owner)}>
                  {share.owner.name}
                </button>
              </td>
              <td>
                <span
                  className="block h-2.5"
                  style={{ width: `${(share.ms / top) * 100}%`, background: SPANS.other.color }}
                />
              </td>
              <td className="w-[70px] text-right">{ms(share.ms)}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}

/** The making of the answer on the load's own time axis. */
function Making({ answer, pick, picked }: Told) {
  const [area, full] = useWidth<HTMLDivElement>(720);
  const [at, setAt] = useState<{ x: number; span: SpanRow | null; lane: string } | null>(null);
  const width = Math.max(160, full - NAME - FIGURE - 16);
  const span = useMemo(() => extent(answer), [answer]);
  const rows = useMemo(() => lanes(answer), [answer]);
  const scale = width / (span.to - span.from);
  const x = (time: number) => (time - span.from) * scale;
  const share = (owner: Owner) => answer.by_owner.find((o) => ownerKey(o.owner) === ownerKey(owner))?.ms ?? 0;
  const root = answer.spans.find((s) => s.kind === 'answer');
  const drawn = useMemo(
    () => rows.map((lane) => stretches(lane.spans, (span.to - span.from) / width)),
    [rows, span, width],
  );
  return (
    <section className="mt-4" aria-label="The making, on the time axis">
      <div ref={area}>
        <div className="grid" style={{ gridTemplateColumns: `${NAME}px ${width}px ${FIGURE}px`, columnGap: 8 }}>
          <span className="self-end text-[12px] text-ink-2">Owner</span>
          <svg width={width} height={18} aria-hidden className="block overflow-visible">
            {/* The last would run into the figures' head. */}
            {ticks(span, width)
              .filter((tick) => x(tick) < width - 24)
              .map((tick) => (
                <text key={tick} x={x(tick)} y={11} fontSize="11" fill="var(--ink-2)" textAnchor="middle">
                  {tickText(tick, span)}
                </text>
              ))}
          </svg>
          <span className="self-end text-right text-[12px] text-ink-2">
            <Ask how="Time that is the owner’s own: each instant of the answer belongs to the innermost span at work, so that the owners’ times and what no span covers add up to the answer.">
              own time
            </Ask>
          </span>
        </div>
        <Row name="the wait" figure={ms(answer.wait_ms)} width={width}>
          {answer.sent_ms !== null && answer.first_byte_ms !== null && (
            <>
              <line
                x1={x(answer.sent_ms)}
                x2={x(answer.first_byte_ms)}
                y1={ROW / 2}
                y2={ROW / 2}
                stroke="var(--ink-2)"
                strokeDasharray="1.5 3"
              />
              {root && (
                <rect
                  x={x(root.start_ms)}
                  y={5}
                  width={Math.max(1, root.duration_ms * scale)}
                  height={ROW - 10}
                  fill="var(--sheet)"
                  stroke="var(--document)"
                  strokeWidth={1.4}
                />
              )}
            </>
          )}
        </Row>
        {rows.map((lane, i) => (
          <Row
            key={lane.key}
            name={lane.owner.name}
            figure={ms(share(lane.owner))}
            width={width}
            on={picked === lane.key}
            pick={pick && (() => pick(lane.owner))}
            label={`${lane.owner.name}: ${plural(lane.spans.length, 'span')}, ${ms(share(lane.owner))} of its own`}
            onMove={(offset) => {
              const time = span.from + offset / scale;
              const slack = 2 / scale;
              const under = lane.spans.filter(
                (s) => s.start_ms <= time + slack && s.start_ms + s.duration_ms >= time - slack,
              );
              under.sort((a, b) => b.depth - a.depth);
              setAt({ x: offset, span: under[0] ?? null, lane: lane.key });
            }}
            onLeave={() => setAt(null)}
            note={at?.lane === lane.key && at.span ? <SpanNote span={at.span} left={at.x} width={width} /> : null}
          >
            {drawn[i]?.map((piece, n) => (
              <rect
                key={n}
                x={x(piece.from)}
                y={piece.kind === 'other' ? 4 : 6}
                width={Math.max(0.8, (piece.to - piece.from) * scale)}
                height={piece.kind === 'other' ? ROW - 8 : ROW - 12}
                fill={SPANS[piece.kind].color}
                opacity={piece.kind === 'other' ? 0.45 : 1}
              />
            ))}
          </Row>
        ))}
      </div>
      {answer.span_count > answer.spans.length && (
        <p className="mt-1 text-[12.5px] text-ink-2">
          The longest {whole(answer.spans.length)} of {whole(answer.span_count)} spans are drawn; sums are of all.
        </p>
      )}
    </section>
  );
}

function Row(props: {
  name: string;
  figure: string;
  width: number;
  label?: string;
  on?: boolean;
  pick?: (() => void) | undefined;
  onMove?: (offset: number) => void;
  onLeave?: () => void;
  note?: React.ReactNode;
  children: React.ReactNode;
}) {
  const { name, figure, width, on, pick, onMove, onLeave, note, children } = props;
  return (
    <div
      className={`grid items-center border-t border-rule text-[13px] ${on ? 'bg-soft' : ''}`}
      style={{ gridTemplateColumns: `${NAME}px ${width}px ${FIGURE}px`, columnGap: 8 }}
    >
      {pick ? (
        <button className="truncate text-left hover:text-accent" title={name} aria-pressed={on} onClick={pick}>
          {name}
        </button>
      ) : (
        <span className="truncate text-ink-2">{name}</span>
      )}
      <span className="relative">
        <svg
          width={width}
          height={ROW}
          className="block"
          role={props.label ? 'img' : undefined}
          aria-label={props.label}
          aria-hidden={!props.label}
          onPointerMove={(e) => onMove?.(e.clientX - e.currentTarget.getBoundingClientRect().left)}
          onPointerLeave={() => onLeave?.()}
        >
          {children}
        </svg>
        {note}
      </span>
      <span className="text-right">{figure}</span>
    </div>
  );
}

function SpanNote({ span, left, width }: { span: SpanRow; left: number; width: number }) {
  return (
    <span
      role="status"
      className="pointer-events-none absolute top-[22px] z-10 block w-[320px] rounded border border-rule-strong bg-sheet px-2.5 py-1.5 text-[12.5px] leading-snug shadow-md"
      style={{ left: Math.max(0, Math.min(left, width - 322)) }}
    >
      <strong className="[overflow-wrap:anywhere]">{span.name}</strong>{' '}
      <span className="whitespace-nowrap">{exact(span.duration_ms)}</span>
      {span.duration_ms - span.own_ms > 0.05 && <span className="text-ink-2">, {exact(span.own_ms)} its own</span>}
      {span.query && (
        <span className="block font-mono text-[12px] text-ink-2 [overflow-wrap:anywhere]">
          {span.query.slice(0, 240)}
        </span>
      )}
      {(span.function ?? span.file ?? span.address) && (
        <span className="block truncate font-mono text-[12px] text-ink-2">
          {span.function ?? span.file ?? span.address}
        </span>
      )}
      <span className="block text-ink-2">
        {span.kind === 'query' ? 'query' : SPANS[span.kind].words}, {span.owner.name}, from {ms(span.start_ms)}
        {span.failed && `; failed: ${span.failed}`}
      </span>
    </span>
  );
}

const exact = (value: number) => (value < 10 ? `${value.toFixed(2)} ms` : ms(value));

/** What went into each kind of work; what no span covers is shown as such. */
function ByKind({ answer }: { answer: ServerAnswer }) {
  const total = answer.by_kind.reduce((sum, kind) => sum + kind.ms, 0) || 1;
  const of = (kind: (typeof SPAN_ORDER)[number]) => answer.by_kind.find((k) => k.kind === kind);
  const there = SPAN_ORDER.filter((kind) => (of(kind)?.ms ?? 0) >= 0.5);
  return (
    <section className="mt-4" aria-label="By kind of work">
      <div className="flex h-2.5 gap-px" aria-hidden>
        {there.map((kind) => (
          <span
            key={kind}
            className={kind === 'answer' ? 'border border-document' : ''}
            style={{ width: `${((of(kind)?.ms ?? 0) / total) * 100}%`, background: SPANS[kind].color }}
          />
        ))}
      </div>
      <p className="mt-1.5 flex flex-wrap gap-x-4 text-[12.5px]">
        {there.map((kind) => (
          <span key={kind}>
            <span
              className="mr-1.5 inline-block h-2 w-2 align-baseline"
              style={{
                background: SPANS[kind].color,
                border: kind === 'answer' ? '1px solid var(--document)' : undefined,
              }}
              aria-hidden
            />
            <Ask how={SPANS[kind].how}>
              {SPANS[kind].words} <strong>{ms(of(kind)?.ms)}</strong>
            </Ask>
          </span>
        ))}
      </p>
    </section>
  );
}
