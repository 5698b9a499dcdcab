import type { Metric, Rating } from '../api/types';
import { metricText } from './format';

const FILL: Record<Rating, string> = { within: 'var(--within)', near: 'var(--near)', past: 'var(--past)' };

/**
 * A metric on its ruler: target tick, limit tick, a bar to the median and a dot per load. The rating
 * is told by form as well: plain and short of the tick, hatched past it, notched past the limit.
 */
export function RatedBar(props: {
  metric: Metric;
  median: number;
  values: (number | null)[];
  target: number;
  limit: number;
  rating: Rating;
  /** The return visits' median. */
  again?: number | undefined;
}) {
  const { metric, median, target, limit, rating } = props;
  const width = 420;
  const known = props.values.filter((v): v is number => v !== null);
  const top = Math.max(limit * 1.35, median * 1.08, ...known.map((v) => v * 1.04));
  const x = (value: number) => Math.max(0, (value / top) * width);
  const hatch = `hatch-${rating}`;
  const end = x(median);
  const plainTo = Math.min(end, x(target));
  const label = `${metricText(metric, median)}, ${rating}${props.again === undefined ? '' : `, return visits ${metricText(metric, props.again)}`}; target ${metricText(metric, target)}, limit ${metricText(metric, limit)}`;
  // Labels that would run into each other turn away.
  const close = x(limit) - x(target) < 60;
  const anchor = (value: number) =>
    close ? (value === target ? 'end' : 'start') : x(value) < 24 ? 'start' : x(value) > width - 30 ? 'end' : 'middle';
  return (
    <svg
      viewBox={`0 0 ${width} 42`}
      className="h-10 w-full max-w-[460px] overflow-visible"
      role="img"
      aria-label={label}
    >
      <defs>
        <pattern id={hatch} width="6" height="6" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
          <rect width="6" height="6" fill={FILL[rating]} />
          <rect width="2" height="6" fill="var(--sheet)" opacity="0.75" />
        </pattern>
      </defs>
      <line x1="0" x2={width} y1="30" y2="30" stroke="var(--rule-strong)" />
      <rect x="0" y="20" width={plainTo} height="10" fill={FILL[rating]} />
      {end > plainTo && <rect x={plainTo} y="20" width={end - plainTo} height="10" fill={`url(#${hatch})`} />}
      {rating === 'past' && <path d={`M${end} 18 l7 7 l-7 7 z`} fill={FILL.past} />}
      <line x1={x(target)} x2={x(target)} y1="13" y2="36" stroke="var(--ink)" strokeWidth="1.4" />
      <line x1={x(limit)} x2={x(limit)} y1="13" y2="36" stroke="var(--ink-2)" strokeDasharray="3 3" />
      <text x={x(target)} y="9" fontSize="11" textAnchor={anchor(target)} fill="var(--ink-2)">
        {metricText(metric, target)}
      </text>
      <text x={x(limit)} y="9" fontSize="11" textAnchor={anchor(limit)} fill="var(--ink-2)">
        {metricText(metric, limit)}
      </text>
      {props.again !== undefined && (
        <path d={`M${x(props.again)} 18l5 7l-5 7l-5 -7z`} fill="var(--sheet)" stroke="var(--ink)" strokeWidth="1.3">
          <title>{`return visits: ${metricText(metric, props.again)}`}</title>
        </path>
      )}
      {props.values.map((value, i) =>
        value === null ? null : (
          <circle key={i} cx={x(value)} cy="37" r="3" fill="var(--sheet)" stroke="var(--ink)" strokeWidth="1.1">
            <title>{`load ${i + 1}: ${metricText(metric, value)}`}</title>
          </circle>
        ),
      )}
    </svg>
  );
}
