import type { RequestRow } from '../../api/types';
import { KINDS } from '../../parts/format';
import type { Span } from '../../parts/useSpan';

/**
 * One request on the time axis, its phases told by form: queued a dotted line, connecting a double
 * rule, waiting hollow, receiving solid; a keel below while it holds up rendering.
 */
export function Bar({
  row,
  span,
  width,
  height = 26,
}: {
  row: RequestRow;
  span: Span;
  width: number;
  height?: number;
}) {
  const length = span.to - span.from;
  const raw = (at: number) => ((at - span.from) / length) * width;
  // Far outside the picture a coordinate only costs.
  const x = (at: number) => Math.max(-50, Math.min(width + 50, raw(at)));
  const color = KINDS[row.kind].color;
  const sent = row.sent_ms ?? row.connect_end_ms ?? row.start_ms;
  const connect = row.connect_start_ms;
  const first = row.first_byte_ms;
  const last = row.end_ms;
  const queuedTo = connect ?? row.sent_ms ?? first ?? last ?? row.start_ms;
  const mid = height / 2;
  const thick = Math.min(12, height - 4);
  if (raw(row.start_ms) > width || (last !== null && raw(last) < 0)) {
    return <Elsewhere width={width} height={height} right={raw(row.start_ms) > width} color={color} />;
  }
  return (
    <svg width={width} height={height} className="block overflow-hidden" aria-hidden>
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
          y={mid - thick / 2 + 0.5}
          width={Math.max(0.5, x(first) - x(sent) - 0.5)}
          height={thick - 1}
          fill="var(--sheet)"
          stroke={color}
        />
      )}
      {first !== null && last !== null && (
        <rect x={x(first)} y={mid - thick / 2} width={Math.max(1.5, x(last) - x(first))} height={thick} fill={color} />
      )}
      {first === null && last !== null && (
        <rect
          x={x(sent) + 0.5}
          y={mid - thick / 2 + 0.5}
          width={Math.max(1.5, x(last) - x(sent))}
          height={thick - 1}
          fill="none"
          stroke={color}
          strokeDasharray="3 2"
        />
      )}
      {row.failed && last !== null && (
        <path d={`M${x(last) + 3} ${mid - 4} l8 8 m0 -8 l-8 8`} stroke="var(--past)" strokeWidth="1.6" />
      )}
      {row.render_blocking === 'blocking' && row.released_ms !== null && (
        <rect
          x={x(sent)}
          y={height - 5}
          width={Math.max(2, x(row.released_ms) - x(sent))}
          height={2.4}
          fill="var(--keel)"
        />
      )}
    </svg>
  );
}

/** A bar that lies before or after what is shown. */
function Elsewhere({ width, height, right, color }: { width: number; height: number; right: boolean; color: string }) {
  const at = right ? width - 6 : 6;
  const tip = right ? 4 : -4;
  return (
    <svg width={width} height={height} className="block" aria-hidden>
      <path d={`M${at} ${height / 2 - 3}l${tip} 3l${-tip} 3`} fill="none" stroke={color} />
    </svg>
  );
}
