import type { RequestRow } from '../../api/types';
import { KINDS, ms } from '../../parts/format';

/**
 * One request on the time axis, its phases told by form: queued a dotted line, connecting a double
 * rule, waiting hollow, receiving solid; a keel below while it holds up rendering.
 */
export function Bar({ row, end, width }: { row: RequestRow; end: number; width: number }) {
  const x = (at: number) => (Math.min(at, end) / end) * width;
  const color = KINDS[row.kind].color;
  const sent = row.sent_ms ?? row.connect_end_ms ?? row.start_ms;
  const connect = row.connect_start_ms;
  const first = row.first_byte_ms;
  const last = row.end_ms;
  const queuedTo = connect ?? row.sent_ms ?? first ?? last ?? row.start_ms;
  const mid = 13;
  return (
    <svg width={width} height={26} className="block" aria-hidden>
      {queuedTo > row.start_ms && (
        <line
          x1={x(row.start_ms)}
          x2={x(queuedTo)}
          y1={mid}
          y2={mid}
          stroke={color}
          strokeWidth="1.6"
          strokeDasharray="1.5 3"
        />
      )}
      {connect !== null && row.connect_end_ms !== null && (
        <>
          <line x1={x(connect)} x2={x(row.connect_end_ms)} y1={mid - 2} y2={mid - 2} stroke={color} strokeWidth="1.3" />
          <line x1={x(connect)} x2={x(row.connect_end_ms)} y1={mid + 2} y2={mid + 2} stroke={color} strokeWidth="1.3" />
        </>
      )}
      {first !== null && (
        <rect
          x={x(sent) + 0.5}
          y={mid - 5.5}
          width={Math.max(0.5, x(first) - x(sent) - 0.5)}
          height={11}
          fill="var(--sheet)"
          stroke={color}
        />
      )}
      {first !== null && last !== null && (
        <rect x={x(first)} y={mid - 6} width={Math.max(1.5, x(last) - x(first))} height={12} fill={color} />
      )}
      {first === null && last !== null && (
        <rect
          x={x(sent) + 0.5}
          y={mid - 5.5}
          width={Math.max(1.5, x(last) - x(sent))}
          height={11}
          fill="none"
          stroke={color}
          strokeDasharray="3 2"
        />
      )}
      {row.failed && last !== null && (
        <path d={`M${x(last) + 3} ${mid - 4} l8 8 m0 -8 l-8 8`} stroke="var(--past)" strokeWidth="1.6" />
      )}
      {row.render_blocking === 'blocking' && row.released_ms !== null && (
        <rect x={x(sent)} y={21} width={Math.max(2, x(row.released_ms) - x(sent))} height={2.4} fill="var(--keel)" />
      )}
    </svg>
  );
}

/** What the bar tells by form and place, in words. */
export function barInWords(row: RequestRow): string {
  const parts = [
    KINDS[row.kind].words,
    `asked for at ${ms(row.start_ms)}`,
    row.end_ms === null ? 'never finished' : `last byte at ${ms(row.end_ms)}`,
  ];
  if (row.render_blocking === 'blocking') parts.push(`holds up rendering until ${ms(row.released_ms)}`);
  if (row.on_path) parts.push('on the path to the largest paint');
  if (row.failed) parts.push(`failed: ${row.failed}`);
  return parts.join('; ');
}
