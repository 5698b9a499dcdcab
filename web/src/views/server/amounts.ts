import type { Measure } from '../../api/types';
import { bytes, ms, whole } from '../../parts/format';

/** An amount of what was counted, in its own unit. */
export function amount(measure: Measure, value: number): string {
  switch (measure.unit) {
    case 'ms':
      return Math.abs(value) < 10 ? `${value.toFixed(2)} ms` : ms(value);
    case 'bytes':
      return value < 0 ? `−${bytes(Math.round(-value))}` : bytes(Math.round(value));
    case 'count':
      return Math.abs(value) < 100_000 ? whole(value) : shortCount(value);
  }
}

function shortCount(value: number): string {
  const [scale, unit] = Math.abs(value) >= 1e9 ? [1e9, 'G'] : Math.abs(value) >= 1e6 ? [1e6, 'M'] : [1e3, 'k'];
  return `${(value / scale).toPrecision(4)} ${unit}`;
}

/** What was counted, in words: its long name where the file tells one, and its unit where that is known. */
export function measureWords(measure: Measure): string {
  const name = measure.long_name ?? measure.name.replace(/_?\(.*\)$/, '').replaceAll('_', ' ');
  const units = { ms: ', in ms', bytes: ', in bytes', count: '' };
  return `${name}${units[measure.unit]}`;
}

/** The last two parts of a path: a file with its folder. */
export const lastPart = (path: string) => path.split(/[/\\]/).slice(-2).join('/');
