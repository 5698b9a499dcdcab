import { scaleLinear } from 'd3-scale';
import type { Analysis } from '../api/types';

/** Vital moments of a load, in order of time. */
export function moments(load: Analysis): { name: string; at: number }[] {
  const { fcp_ms, lcp_ms, dom_content_loaded_ms, load_ms } = load.metrics;
  return [
    { name: 'FCP', at: fcp_ms },
    { name: 'LCP', at: lcp_ms },
    { name: 'DCL', at: dom_content_loaded_ms },
    { name: 'load', at: load_ms },
  ]
    .filter((m): m is { name: string; at: number } => m.at !== null)
    .sort((a, b) => a.at - b.at);
}

/** The end of what there is to see, with a little room. */
export function timeEnd(load: Analysis): number {
  const last = Math.max(0, ...load.requests.map((r) => r.end_ms ?? r.start_ms), ...moments(load).map((m) => m.at));
  const work = load.main_thread?.long_tasks.at(-1);
  return Math.max(last, work ? work.start_ms + work.duration_ms : 0, 100) * 1.03;
}

export function ticks(end: number, width: number): number[] {
  return scaleLinear([0, end], [0, width]).ticks(Math.max(3, Math.min(9, Math.floor(width / 70))));
}

export const tickText = (at: number) => (at === 0 ? '0 s' : `${(at / 1000).toFixed(at % 1000 ? 1 : 0)} s`);

/** Times along the top, and flags that hang from the rule at the vital moments. */
export function TimeAxis({ load, end, width }: { load: Analysis; end: number; width: number }) {
  const x = (at: number) => (at / end) * width;
  // Flags that would cover each other hang lower.
  let right = -100;
  let row = 0;
  const flags = moments(load).map((moment) => {
    const left = Math.min(x(moment.at), width - 34);
    row = left < right + 4 ? row + 1 : 0;
    right = left + 34;
    return { ...moment, left: x(moment.at), row };
  });
  return (
    <svg width={width} height={54} className="block overflow-visible" aria-hidden>
      {ticks(end, width).map((at) => (
        <g key={at}>
          <line x1={x(at)} x2={x(at)} y1={14} y2={54} stroke="var(--rule)" />
          <text
            x={x(at)}
            y={10}
            fontSize="11"
            fill="var(--ink-2)"
            textAnchor={x(at) < 12 ? 'start' : x(at) > width - 14 ? 'end' : 'middle'}
          >
            {tickText(at)}
          </text>
        </g>
      ))}
      <line x1={0} x2={width} y1={16} y2={16} stroke="var(--rule-strong)" />
      {flags.map((flag) => {
        const turned = flag.left > width - 36;
        return (
          <g key={flag.name} transform={`translate(${flag.left} ${18 + flag.row * 12})`}>
            <line x1={0} x2={0} y1={-2 - flag.row * 12} y2={38} stroke="var(--ink)" strokeWidth="1.2" />
            <rect x={turned ? -32 : 0} y={0} width={32} height={12} fill="var(--ink)" />
            <text x={turned ? -16 : 16} y={9.4} fontSize="9.5" fontWeight="600" textAnchor="middle" fill="var(--sheet)">
              {flag.name}
            </text>
          </g>
        );
      })}
    </svg>
  );
}
