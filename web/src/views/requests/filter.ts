import type { RequestRow } from '../../api/types';

const UNITS: Record<string, number> = { b: 1, kb: 1e3, mb: 1e6, ms: 1, s: 1e3, '': 1 };

/** Every fact that the filter knows, for the help beside it. */
export const FACTS = [
  'kind:script',
  'owner:deck-slider',
  'host:static',
  'blocking:yes',
  'path:yes',
  'status:404',
  'protocol:h2',
  'priority:high',
  'cache:yes',
  'by:slider.js',
  'hidden:yes',
  'fold:below',
  'failed:yes',
  'size>50kB',
  'unpacked>200kB',
  'duration>200ms',
  'wait>300ms',
  'start<1s',
];

/** A test for one word of the filter; facts are `name:value`, `size>50kB` or `duration>200ms`. */
function test(word: string): (row: RequestRow) => boolean {
  const fact =
    /^(-?)(kind|owner|host|domain|blocking|path|status|protocol|cache|priority|by|hidden|fold|failed|connection):(.+)$/i.exec(
      word,
    );
  if (fact) {
    const [, not, name = '', raw = ''] = fact;
    const value = raw.toLowerCase();
    const yes = /^(yes|y|true|1)$/.test(value);
    const holds = ((): ((r: RequestRow) => boolean) => {
      switch (name.toLowerCase()) {
        case 'kind':
          return (r) =>
            r.kind.startsWith(value) ||
            (value === 'js' && r.kind === 'script') ||
            (value === 'css' && r.kind === 'style');
        case 'owner':
          return (r) => r.owner.name.toLowerCase().includes(value);
        case 'host':
        case 'domain':
          return (r) => (r.host ?? '').includes(value);
        case 'blocking':
          return (r) => (r.render_blocking === 'blocking') === yes;
        case 'path':
          return (r) => r.on_path === yes;
        case 'status':
          return (r) => String(r.status ?? '').startsWith(value);
        case 'protocol':
          return (r) => (r.protocol ?? '').includes(value);
        case 'priority':
          return (r) => (r.final_priority ?? r.priority ?? '').toLowerCase().startsWith(value);
        case 'connection':
          return (r) => String(r.connection ?? '') === value;
        case 'by':
          return (r) => (r.initiator.url ?? '').toLowerCase().includes(value);
        case 'hidden':
          return (r) => (r.placement === 'hidden') === yes;
        case 'fold':
          return (r) => (r.placement === 'below_fold') === (value === 'below');
        case 'failed':
          return (r) => (r.failed !== null || (r.status ?? 0) >= 400) === yes;
        default:
          return (r) => (r.cache !== null) === yes;
      }
    })();
    return not ? (r) => !holds(r) : holds;
  }
  const size = /^(size|unpacked|duration|wait|start)([<>])([\d.]+)(b|kb|mb|ms|s)?$/i.exec(word);
  if (size) {
    const [, name = '', sign, number, unit = ''] = size;
    const limit = Number(number) * (UNITS[unit.toLowerCase()] ?? 1);
    const of = (r: RequestRow): number | null => {
      switch (name.toLowerCase()) {
        case 'size':
          return r.transferred_bytes;
        case 'unpacked':
          return r.unpacked_bytes;
        case 'start':
          return r.start_ms;
        case 'wait':
          return waitOf(r);
        default:
          return durationOf(r);
      }
    };
    return (r) => {
      const value = of(r);
      return value !== null && (sign === '>' ? value > limit : value < limit);
    };
  }
  const text = word.toLowerCase();
  return (r) => r.url.toLowerCase().includes(text) || r.owner.name.toLowerCase().includes(text);
}

export const durationOf = (r: RequestRow) => (r.end_ms === null ? null : r.end_ms - r.start_ms);
export const waitOf = (r: RequestRow) =>
  r.first_byte_ms === null || r.sent_ms === null ? null : Math.max(0, r.first_byte_ms - r.sent_ms);

/** Words must all hold; `or` between them starts an alternative. */
export function filterRequests(rows: RequestRow[], words: string): RequestRow[] {
  const alternatives = words
    .split(/\s+or\s+/i)
    .map((part) => part.split(/\s+/).filter(Boolean).map(test))
    .filter((tests) => tests.length);
  if (!alternatives.length) return rows;
  return rows.filter((row) => alternatives.some((tests) => tests.every((t) => t(row))));
}
