import { scaleLinear } from 'd3-scale';
import type { Metric, PlanLine, TriedFix } from '../../api/types';
import { METRICS, metricText } from '../../parts/format';
import { useWidth } from '../../parts/useWidth';

const HEIGHT = 150;
const LEFT = 56;

/** The metric's forecast after each fix as a falling line, with its interval, target and limit. */
export function Falling(props: {
  line: PlanLine;
  metric: Metric;
  keys: string[];
  tried: TriedFix[];
  selected: number;
  onPick: (index: number) => void;
}) {
  const { line, metric, selected } = props;
  const [box, width] = useWidth<HTMLDivElement>();
  const points = line.steps.map((s) => s.brings.find((b) => b.metric === metric));
  const [first] = points;
  if (!first)
    return <p className="mt-3 text-[13px] text-ink-2">{METRICS[metric].short} is not known of these pages.</p>;
  const target = line.targets.find(([m]) => m === metric);
  const [goal, limit] = [target?.[1] ?? 0, target?.[2] ?? 0];
  const most = Math.max(...points.map((p) => p?.after ?? 0), goal) * 1.12;
  const y = scaleLinear([0, most], [HEIGHT - 22, 6]);
  const x = (step: number) => LEFT + (step / Math.max(1, points.length - 1)) * (width - LEFT - 14);
  let path = `M${x(0)},${y(first.after)}`;
  let band = '';
  let above = '';
  points.forEach((p, i) => {
    if (!p || i === 0) return;
    path += `H${x(i)}V${y(p.after)}`;
    const before = points[0]?.after ?? 0;
    const astray = (p.high - p.low) / 2;
    if (Math.abs(p.after - before) < 1e-9 || astray < 1e-9) return;
    above += `${above ? 'L' : 'M'}${x(i)},${y(Math.min(most, p.after + astray))}`;
    band = `L${x(i)},${y(Math.max(0, p.after - astray))}${band}`;
  });
  const last = points.findLast(Boolean);
  const end = last ? y(last.after) : undefined;
  const text = points
    .slice(1)
    .map((p, i) => (p ? `after ${i + 1}: ${metricText(metric, p.after)}` : ''))
    .join(', ');
  const show = (value: number) => (metric === 'cls' ? value.toFixed(2) : metricText(metric, Math.round(value)));
  return (
    <div ref={box} className="mt-2">
      <svg
        width={width}
        height={HEIGHT}
        role="img"
        aria-label={`${METRICS[metric].short} now ${metricText(metric, first.after)}${text && `; ${text}`}; target ${show(goal)}`}
      >
        {y.ticks(3).map((tick) => (
          <g key={tick}>
            <line x1={LEFT} x2={width - 14} y1={y(tick)} y2={y(tick)} stroke="var(--rule)" />
            <text x={LEFT - 8} y={y(tick) + 4} textAnchor="end" fontSize="12" fill="var(--ink-2)">
              {show(tick)}
            </text>
          </g>
        ))}
        {above && <path d={`${above}${band}Z`} fill="var(--accent)" opacity="0.12" />}
        {[
          { value: goal, name: `target ${show(goal)}`, dash: undefined },
          { value: limit, name: `limit ${show(limit)}`, dash: '4 3' },
        ]
          .filter((t) => t.value > 0 && t.value <= most)
          .map((t) => (
            <g key={t.name}>
              <line
                x1={LEFT}
                x2={width - 14}
                y1={y(t.value)}
                y2={y(t.value)}
                stroke="var(--ink)"
                strokeDasharray={t.dash}
              />
              {/* Under its line where the forecast runs just above it. */}
              <text
                x={width - 16}
                y={y(t.value) + (end !== undefined && end < y(t.value) && y(t.value) - end < 20 ? 14 : -4)}
                textAnchor="end"
                fontSize="12"
                fill="var(--ink)"
              >
                {t.name}
              </text>
            </g>
          ))}
        <path d={path} fill="none" stroke="var(--accent)" strokeWidth="2.2" />
        {points.map((p, i) => {
          const before = points[i - 1];
          const tried = props.tried.find((t) => t.key === props.keys[i - 1])?.lcp?.compared;
          return (
            p && (
              <g key={i}>
                {i > 0 && (
                  <circle
                    cx={x(i)}
                    cy={y(p.after)}
                    r={i - 1 === selected ? 6 : 4}
                    fill="var(--sheet)"
                    stroke="var(--accent)"
                    strokeWidth="2"
                  />
                )}
                {/* A trial is of one page: on a mean over several it has no place. */}
                {i > 0 && metric === 'lcp' && line.pages.length === 1 && tried && before && (
                  <Half x={x(i)} y={y(Math.max(0, Math.min(most, before.after + tried.difference)))} />
                )}
                <text
                  x={x(i)}
                  y={HEIGHT - 6}
                  textAnchor="middle"
                  fontSize="12"
                  fill="var(--ink-2)"
                  className={i ? 'cursor-pointer' : ''}
                  onClick={() => i && props.onPick(i - 1)}
                >
                  {i === 0 ? 'now' : points.length < 26 || i % 5 === 0 ? i : ''}
                </text>
              </g>
            )
          );
        })}
      </svg>
    </div>
  );
}

/** The mark of what was tried: half full. */
function Half({ x, y }: { x: number; y: number }) {
  return (
    <g>
      <circle cx={x} cy={y} r="4.5" fill="var(--sheet)" stroke="var(--ink)" strokeWidth="1.5" />
      <path d={`M${x},${y - 4.5}A4.5,4.5 0 0 0 ${x},${y + 4.5}Z`} fill="var(--ink)" />
    </g>
  );
}
