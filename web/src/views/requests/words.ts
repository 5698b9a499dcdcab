import type { RequestRow } from '../../api/types';
import { KINDS, ms } from '../../parts/format';

/** What the bar tells by form and place, in words. */
export function barInWords(row: RequestRow): string {
  const parts = [
    KINDS[row.kind].words,
    `asked for at ${ms(row.start_ms)}`,
    row.end_ms === null ? 'never finished' : `last byte at ${ms(row.end_ms)}`,
  ];
  if (row.render_blocking === 'blocking') parts.push(`holds up rendering until ${ms(row.released_ms)}`);
  if (row.on_path) parts.push('on the path to the largest paint');
  if (row.cache) parts.push(`from the ${row.cache.replace('_', ' ')} cache`);
  if (row.failed) parts.push(`failed: ${row.failed}`);
  return parts.join('; ');
}
