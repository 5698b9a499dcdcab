import type { RequestRow } from '../../api/types';
import { kB, KINDS, ms } from '../../parts/format';
import { shortName } from '../../parts/names';
import { durationOf, waitOf } from './filter';

export interface Column {
  id: string;
  name: string;
  /** What its figures mean. */
  how: string;
  width: number;
  right: boolean;
  /** What the rows are ordered by; texts ascending, figures descending, times ascending. */
  key: (row: RequestRow) => string | number | null;
  descending?: boolean;
  text: (row: RequestRow, total: number) => string;
}

const last = (url: string | null) => (url ? shortName(url) : '');

/** Every column that the waterfall can show beside the bars. */
export const COLUMNS: Column[] = [
  {
    id: 'owner',
    name: 'Owner',
    how: 'Who the request belongs to: by path, host, or the script that inserted it.',
    width: 88,
    right: false,
    key: (r) => r.owner.name,
    text: (r) => r.owner.name,
  },
  {
    id: 'size',
    name: 'kB',
    how: 'Transferred: bytes over the line, headers included.',
    width: 46,
    right: true,
    key: (r) => r.transferred_bytes,
    descending: true,
    text: (r) => kB(r.transferred_bytes),
  },
  {
    id: 'unpacked',
    name: 'Unpacked',
    how: 'Bytes of the body as the page used it, in kB.',
    width: 62,
    right: true,
    key: (r) => r.unpacked_bytes,
    descending: true,
    text: (r) => kB(r.unpacked_bytes),
  },
  {
    id: 'share',
    name: 'Share',
    how: 'Of the load’s whole weight over the line.',
    width: 48,
    right: true,
    key: (r) => r.transferred_bytes,
    descending: true,
    text: (r, total) =>
      r.transferred_bytes === null || !total ? '–' : `${((r.transferred_bytes / total) * 100).toFixed(1)} %`,
  },
  {
    id: 'start',
    name: 'Start',
    how: 'When the page asked for it.',
    width: 58,
    right: true,
    key: (r) => r.start_ms,
    text: (r) => ms(r.start_ms),
  },
  {
    id: 'duration',
    name: 'Duration',
    how: 'From asking to the last byte.',
    width: 60,
    right: true,
    key: durationOf,
    descending: true,
    text: (r) => ms(durationOf(r)),
  },
  {
    id: 'wait',
    name: 'Wait',
    how: 'From sending the request to the first byte of the answer: server and round trip.',
    width: 56,
    right: true,
    key: waitOf,
    descending: true,
    text: (r) => ms(waitOf(r)),
  },
  {
    id: 'priority',
    name: 'Priority',
    how: 'The browser’s own word; after the arrow what it was changed to.',
    width: 104,
    right: false,
    key: (r) => r.final_priority ?? r.priority,
    text: (r) =>
      r.final_priority && r.final_priority !== r.priority ? `${r.priority} → ${r.final_priority}` : (r.priority ?? '–'),
  },
  {
    id: 'protocol',
    name: 'Protocol',
    how: 'As it was agreed on the connection.',
    width: 62,
    right: false,
    key: (r) => r.protocol,
    text: (r) => r.protocol ?? '–',
  },
  {
    id: 'connection',
    name: 'Line',
    how: 'The browser’s number of the connection: equal numbers shared one.',
    width: 44,
    right: true,
    key: (r) => r.connection,
    text: (r) => String(r.connection ?? '–'),
  },
  {
    id: 'status',
    name: 'Status',
    how: 'The answer’s status.',
    width: 46,
    right: true,
    key: (r) => r.status,
    text: (r) => String(r.status ?? '–'),
  },
  {
    id: 'cache',
    name: 'From',
    how: 'Network, or which cache gave it.',
    width: 72,
    right: false,
    key: (r) => r.cache,
    text: (r) => (r.cache ? r.cache.replace('_', ' ') : 'network'),
  },
  {
    id: 'by',
    name: 'Asked by',
    how: 'The document, script or stylesheet that asked for it.',
    width: 92,
    right: false,
    key: (r) => r.initiator.url,
    text: (r) => last(r.initiator.url) || r.initiator.kind,
  },
  {
    id: 'kind',
    name: 'Kind',
    how: 'What it is.',
    width: 62,
    right: false,
    key: (r) => r.kind,
    text: (r) => KINDS[r.kind].words,
  },
  {
    id: 'host',
    name: 'Host',
    how: 'Where it lies.',
    width: 130,
    right: false,
    key: (r) => r.host,
    text: (r) => r.host ?? '–',
  },
];

export const USUAL = ['owner', 'size'];

export function sorted(rows: RequestRow[], by: string): RequestRow[] {
  const down = by.startsWith('-');
  const column = COLUMNS.find((c) => c.id === by.replace('-', ''));
  if (!column || by === 'start') return rows.toSorted((a, b) => a.start_ms - b.start_ms || a.id - b.id);
  const sign = (column.descending ? -1 : 1) * (down ? -1 : 1);
  return rows.toSorted((a, b) => {
    const [x, y] = [column.key(a), column.key(b)];
    // What is not known stands last, whichever way.
    if (x === null || y === null) return x === y ? a.start_ms - b.start_ms : x === null ? 1 : -1;
    const order = typeof x === 'number' && typeof y === 'number' ? x - y : String(x).localeCompare(String(y));
    return order * sign || a.start_ms - b.start_ms;
  });
}
