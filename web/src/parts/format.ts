import type {
  Cause,
  Effort,
  FixState,
  Group,
  Metric,
  Outcome,
  Rating,
  ResourceKind,
  Risk,
  Standing,
  WorkKind,
} from '../api/types';

// Made once: making one takes longer than anything that it then does.
const WHOLE = new Intl.NumberFormat('en', { maximumFractionDigits: 0 });
const MONTH = new Intl.DateTimeFormat('en-GB', { month: 'short' });
const CLOCK = new Intl.DateTimeFormat('en-GB', { hour: '2-digit', minute: '2-digit' });

/** A whole number, its thousands apart. */
export const whole = (value: number) => WHOLE.format(value);

/** `840 ms` under one second, `2.31 s` from there. */
export function ms(value: number | null | undefined): string {
  if (value === null || value === undefined) return '–';
  return Math.abs(value) < 999.5 ? `${whole(Math.round(value))} ms` : `${(value / 1000).toFixed(2)} s`;
}

/** kB, MB and GB of 1,000. */
export function bytes(value: number | null | undefined): string {
  if (value === null || value === undefined) return '–';
  if (value < 1000) return `${value} B`;
  if (value < 9950) return `${(value / 1000).toFixed(1)} kB`;
  if (value < 999_500) return `${Math.round(value / 1000)} kB`;
  if (value < 999_995_000) return `${(value / 1_000_000).toFixed(2)} MB`;
  return `${(value / 1_000_000_000).toFixed(2)} GB`;
}

/** Bytes as kB without the unit, for columns that have it in their header. */
export function kB(value: number | null | undefined): string {
  if (value === null || value === undefined) return '–';
  return value < 9950 ? (value / 1000).toFixed(1) : whole(Math.round(value / 1000));
}

export function metricText(metric: Metric, value: number): string {
  if (metric === 'cls') return value.toFixed(3);
  if (metric === 'weight') return bytes(value);
  return ms(value);
}

export const METRICS: Record<Metric, { short: string; words: string; how: string }> = {
  lcp: {
    short: 'LCP',
    words: 'largest paint',
    how: 'Largest Contentful Paint: the last candidate that the browser announced for the main frame before the first input, on the trace’s clock.',
  },
  fcp: {
    short: 'FCP',
    words: 'first paint with content',
    how: 'First Contentful Paint, as the browser announced it in the trace.',
  },
  tbt: {
    short: 'TBT',
    words: 'input blocked',
    how: 'Total Blocking Time: over main-thread tasks between FCP and TTI, the sum of what exceeds 50 ms.',
  },
  cls: {
    short: 'CLS',
    words: 'layout shift',
    how: 'Cumulative Layout Shift: the largest session window (gaps under 1 s, at most 5 s) of shifts without recent input.',
  },
  inp: {
    short: 'INP',
    words: 'answer to input',
    how: 'Interaction to Next Paint: the longest time from an input to the next paint; of 50 interactions or more, the one at the 98th percentile.',
  },
  speed_index: {
    short: 'Speed Index',
    words: 'how soon it fills',
    how: 'Speed Index: the integral of 1 − visual completeness over the frames, completeness by their colour histograms from the first frame to the last.',
  },
  ttfb: {
    short: 'TTFB',
    words: 'server and line',
    how: 'Time to First Byte: the document’s response start, counted from navigation start.',
  },
  tti: {
    short: 'TTI',
    words: 'quiet from here',
    how: 'Time to Interactive: the end of the last long task before the first 5 s with no long task and at most two GET requests in flight, or FCP.',
  },
  weight: { short: 'Weight', words: 'over the line', how: 'Bytes transferred by all requests, headers included.' },
};

export const RATING: Record<Rating, string> = { within: 'within', near: 'near', past: 'past' };

export const KINDS: Record<ResourceKind, { tag: string; words: string; color: string }> = {
  document: { tag: 'doc', words: 'document', color: 'var(--document)' },
  style: { tag: 'css', words: 'style', color: 'var(--style)' },
  script: { tag: 'js', words: 'script', color: 'var(--script)' },
  image: { tag: 'img', words: 'image', color: 'var(--image)' },
  font: { tag: 'fnt', words: 'font', color: 'var(--font)' },
  data: { tag: 'dat', words: 'data', color: 'var(--data)' },
  media: { tag: 'med', words: 'media', color: 'var(--media)' },
  other: { tag: 'oth', words: 'other', color: 'var(--other)' },
};

export const WORK: Record<WorkKind, { words: string; color: string }> = {
  script_run: { words: 'script run', color: 'var(--script)' },
  script_compile: { words: 'compile', color: 'var(--compile)' },
  html_parse: { words: 'HTML parse', color: 'var(--document)' },
  style: { words: 'style', color: 'var(--style)' },
  layout: { words: 'layout', color: 'var(--layout)' },
  paint: { words: 'paint', color: 'var(--image)' },
  garbage_collection: { words: 'garbage collection', color: 'var(--font)' },
  input: { words: 'input handling', color: 'var(--data)' },
  other: { words: 'other', color: 'var(--other)' },
};

export const WORK_ORDER = Object.keys(WORK) as WorkKind[];

export const CAUSES: Record<Cause, string> = {
  navigation: 'navigation',
  redirect: 'redirect',
  queue: 'queued',
  connect: 'connecting',
  wait: 'waiting',
  download: 'receiving',
  shared: 'line shared',
  handover: 'handed over',
  parse: 'parsing',
  held: 'held',
  script: 'script',
  timer: 'timer',
  animation: 'animation',
  script_wait: 'script waits',
  busy: 'main thread',
  render: 'rendering',
  style_found: 'found by style',
  lazy: 'lazy loading',
  unknown: 'not known',
};

export const STANDING: Record<Standing, string> = {
  on_path: 'on the path',
  beside_path: 'beside it',
  off_path: 'off it',
  unknown: 'no path known',
};

export const OUTCOMES: Record<Outcome, string> = {
  again: 'asked again',
  revalidated: 'asked, still good',
  from_cache: 'from the cache',
  only_now: 'only now',
  only_then: 'not asked',
};

export const GROUPS: Record<Group, string> = {
  delivery: 'Delivery',
  rendering: 'Rendering',
  weight: 'Weight',
  main_thread: 'Main thread',
  stability: 'Stability',
  server: 'Server',
};

export const EFFORT: Record<Effort, string> = { small: 'small', medium: 'medium', large: 'large' };
export const RISK: Record<Risk, string> = { low: 'low', may_break: 'may break', ask_first: 'ask first' };
export const STATES: Record<FixState, string> = { open: 'open', doing: 'doing', done: 'done', set_aside: 'set aside' };

/** `−420 ms`, with its sign. */
export const signed = (metric: Metric, value: number) =>
  `${value < 0 ? '−' : '+'}${metricText(metric, metric === 'weight' ? Math.round(Math.abs(value)) : Math.abs(value))}`;

/** `24 Nov, 09:14`, in the reader's own zone. */
export function day(iso: string): string {
  const date = new Date(iso);
  if (Number.isNaN(date.getTime())) return iso;
  const year = date.getFullYear() === new Date().getFullYear() ? '' : ` ${date.getFullYear()}`;
  return `${date.getDate()} ${MONTH.format(date)}${year}, ${CLOCK.format(date)}`;
}

export const plural = (count: number, one: string, many = `${one}s`) => `${whole(count)} ${count === 1 ? one : many}`;
