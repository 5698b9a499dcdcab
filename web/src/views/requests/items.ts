import type { Analysis } from '../../api/queries';
import type { RequestRow, ReturnRow } from '../../api/types';
import { KINDS } from '../../parts/format';
import { ownerKey } from '../../parts/names';

export type Group = '' | 'owner' | 'domain' | 'kind';
export const GROUPS: [Group, string][] = [
  ['', 'not grouped'],
  ['owner', 'by owner'],
  ['domain', 'by domain'],
  ['kind', 'by kind'],
];

/** A row of the list: a group's head, or a request (with the return visit's, side by side). */
export type Item =
  | { key: string; head: string; count: number; transferred: number; unpacked: number; from: number; to: number }
  | { row: RequestRow; again?: RequestRow | undefined; verdict?: Verdict | undefined };

/** An item that is a request. */
export type RowItem = Extract<Item, { row: RequestRow }>;

/** What the return visit did with a request, and why in words. */
export interface Verdict extends ReturnRow {
  why: string;
}

/** Requests of both visits: those of the load in hand, each with the other visit's, then the rest. */
export function union(load: Analysis, other: Analysis | undefined, verdicts: Verdict[] | undefined, isFirst: boolean) {
  const rows: RowItem[] = [];
  const seen = new Set<number>();
  for (const verdict of verdicts ?? []) {
    const here = isFirst ? verdict.first : verdict.again;
    const there = isFirst ? verdict.again : verdict.first;
    const again = there === null ? undefined : other?.requests[there];
    if (here !== null) {
      const row = load.requests[here];
      if (row) {
        seen.add(here);
        rows.push({ row, again, verdict });
      }
    } else if (again) {
      // It has no place in this load; a number below zero tells it from those that do.
      rows.push({ row: { ...again, id: -1 - again.id }, verdict });
    }
  }
  for (const row of load.requests) if (!seen.has(row.id)) rows.push({ row });
  return rows;
}

export function grouped(rows: RowItem[], group: Group): Item[] {
  if (!group) return rows;
  const groups = new Map<string, RowItem[]>();
  for (const item of rows) {
    const r = item.row;
    const key =
      group === 'owner' ? ownerKey(r.owner) : group === 'domain' ? (r.host ?? 'no host') : KINDS[r.kind].words;
    const list = groups.get(key);
    if (list) list.push(item);
    else groups.set(key, [item]);
  }
  const heads = [...groups].map(([head, list]) => {
    const sum = (of: (r: RequestRow) => number | null) => list.reduce((all, i) => all + (of(i.row) ?? 0), 0);
    return {
      list,
      head: {
        key: head,
        head: group === 'owner' ? (list[0]?.row.owner.name ?? head) : head,
        count: list.length,
        transferred: sum((r) => r.transferred_bytes),
        unpacked: sum((r) => r.unpacked_bytes),
        from: list.reduce((least, i) => Math.min(least, i.row.start_ms), Infinity),
        to: list.reduce((most, i) => Math.max(most, i.row.end_ms ?? i.row.start_ms), 0),
      },
    };
  });
  return heads.sort((a, b) => b.head.transferred - a.head.transferred).flatMap((g) => [g.head, ...g.list]);
}
