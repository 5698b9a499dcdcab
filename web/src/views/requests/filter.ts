import type { RequestRow } from '../../api/types';

const UNITS: Record<string, number> = { b: 1, kb: 1e3, mb: 1e6, ms: 1, s: 1e3, '': 1 };

/** A test for one word of the filter; facts are `name:value`, `size>50kB` or `duration>200ms`. */
function test(word: string): (row: RequestRow) => boolean {
  const fact = /^(kind|owner|host|blocking|path|status|protocol|cache):(.+)$/i.exec(word);
  if (fact) {
    const [, name = '', raw = ''] = fact;
    const value = raw.toLowerCase();
    const yes = /^(yes|y|true|1)$/.test(value);
    switch (name.toLowerCase()) {
      case 'kind':
        return (r) =>
          r.kind.startsWith(value) ||
          (value === 'js' && r.kind === 'script') ||
          (value === 'css' && r.kind === 'style');
      case 'owner':
        return (r) => r.owner.name.toLowerCase().includes(value);
      case 'host':
        return (r) => (r.host ?? '').includes(value);
      case 'blocking':
        return (r) => (r.render_blocking === 'blocking') === yes;
      case 'path':
        return (r) => r.on_path === yes;
      case 'status':
        return (r) => String(r.status ?? '').startsWith(value);
      case 'protocol':
        return (r) => (r.protocol ?? '').includes(value);
      default:
        return (r) => (r.cache !== null) === yes;
    }
  }
  const size = /^(size|duration|start)([<>])([\d.]+)(b|kb|mb|ms|s)?$/i.exec(word);
  if (size) {
    const [, name = '', sign, number, unit = ''] = size;
    const limit = Number(number) * (UNITS[unit.toLowerCase()] ?? 1);
    const of = (r: RequestRow) => {
      if (name === 'size') return r.transferred_bytes;
      if (name === 'start') return r.start_ms;
      return r.end_ms === null ? null : r.end_ms - r.start_ms;
    };
    return (r) => {
      const value = of(r);
      return value !== null && (sign === '>' ? value > limit : value < limit);
    };
  }
  const text = word.toLowerCase();
  return (r) => r.url.toLowerCase().includes(text) || r.owner.name.toLowerCase().includes(text);
}

/** Words must all hold; `or` between them starts an alternative. */
export function filterRequests(rows: RequestRow[], words: string): RequestRow[] {
  const alternatives = words
    .split(/\s+or\s+/i)
    .map((part) => part.split(/\s+/).filter(Boolean).map(test))
    .filter((tests) => tests.length);
  if (!alternatives.length) return rows;
  return rows.filter((row) => alternatives.some((tests) => tests.every((t) => t(row))));
}
