import type { QueryShape, SpanKind } from '../../api/types';

/** What a span's time is spent on, and its colour. */
export const SPANS: Record<SpanKind, { words: string; color: string; how: string }> = {
  query: { words: 'queries', color: 'var(--data)', how: 'Own time of spans with attributes of a database (db.*).' },
  remote: {
    words: 'remote calls',
    color: 'var(--media)',
    how: 'Own time of spans of a client that are no queries: the server waits for another one.',
  },
  template: {
    words: 'templates',
    color: 'var(--image)',
    how: 'Own time of spans that put a template together, by their attributes, their name or their library.',
  },
  other: { words: 'other code', color: 'var(--document)', how: 'Own time of all other spans within the answer.' },
  answer: {
    words: 'no span covers it',
    color: 'transparent',
    how: 'Time of the answer that none of the spans within it covers: what the server did then is not told.',
  },
};

export const SPAN_ORDER = Object.keys(SPANS) as SpanKind[];

export const SHAPES: Record<QueryShape, { words: string; how: string }> = {
  plain: { words: '', how: '' },
  again: {
    words: 'asked again',
    how: 'With the same values, or mostly so: what it answers was known already.',
  },
  one_by_one: {
    words: 'one at a time',
    how: 'Five times or more from one place, with changing values: one query could ask for all of them.',
  },
};
