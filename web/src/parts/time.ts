import { whole } from './format';
import { scaleLinear } from 'd3-scale';
import type { Analysis } from '../api/queries';
import type { Span } from './useSpan';

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
  let last = 0;
  for (const r of load.requests) last = Math.max(last, r.end_ms ?? r.start_ms);
  for (const m of moments(load)) last = Math.max(last, m.at);
  for (const i of load.interactions) last = Math.max(last, i.at_ms + i.duration_ms);
  const work = load.main_thread?.long_tasks.at(-1);
  return Math.max(last, work ? work.start_ms + work.duration_ms : 0, load.frames.at(-1)?.at_ms ?? 0, 100) * 1.03;
}

export function ticks(span: Span, width: number): number[] {
  return scaleLinear([span.from, span.to], [0, width]).ticks(Math.max(3, Math.min(9, Math.floor(width / 70))));
}

export function tickText(at: number, span: Span): string {
  const length = span.to - span.from;
  if (length < 12) return `${at.toFixed(length < 4 ? 2 : 1)} ms`;
  if (length < 1500) return `${whole(Math.round(at))} ms`;
  return at === 0 ? '0 s' : `${(at / 1000).toFixed(at % 1000 ? (at % 100 ? 2 : 1) : 0)} s`;
}

/** The widest that a sign of the axis is, in px. */
const SIGN = 6.2;

/** What stands along an axis: its times, those at the ends turned inwards, and none where it would run into another. */
export function tickLabels(
  span: Span,
  width: number,
): { at: number; text: string; anchor: 'start' | 'middle' | 'end' }[] {
  let right = -Infinity;
  return ticks(span, width).flatMap((at) => {
    const text = tickText(at, span);
    const x = ((at - span.from) / (span.to - span.from)) * width;
    const half = (text.length * SIGN) / 2;
    const anchor = x < half ? 'start' : x > width - half ? 'end' : 'middle';
    const left = anchor === 'start' ? x : anchor === 'end' ? x - 2 * half : x - half;
    if (left < right) return [];
    right = left + 2 * half + SIGN;
    return [{ at, text, anchor }];
  });
}
