import type { Costs, Owner, OwnerGain, OwnersView, OwnerRow } from '../../api/types';
import { ownerKey } from '../../parts/names';

/** What an owner's account consists of, each figure a mean over the pages: one without it counts as nothing. */
export interface Account {
  key: string;
  owner: Owner;
  pages: number;
  requests: number;
  weight: number;
  thread: number | null;
  blocking: number | null;
  server: number | null;
  queries: number | null;
  path: number | null;
  /** Of its code, the share that the pages did not use; `null` where nobody looked. */
  unused: number | null;
  /** Pages on which its code is loaded and next to none of it used. */
  idle: number;
  suggested: string[];
}

/** From this unused share on, code does nothing for a page. */
export const IDLE = 0.95;

type Figure = 'main_thread_ms' | 'blocking_ms' | 'server_ms' | 'queries' | 'path_ms';

/** The account of one owner over pages by their places. */
export function account(row: OwnerRow, places: number[]): Account {
  const on = places.map((p) => row.on[p] ?? null);
  const there = on.filter((costs): costs is Costs => costs !== null);
  const count = Math.max(1, places.length);
  const mean = (of: (costs: Costs) => number) => there.reduce((sum, costs) => sum + of(costs), 0) / count;
  // Where no page tells a figure, it is not known; where one does, the others have none of it.
  const known = (figure: Figure) =>
    there.some((costs) => costs[figure] !== null) ? mean((costs) => costs[figure] ?? 0) : null;
  const code = there.reduce((sum, costs) => sum + (costs.code_bytes ?? 0), 0);
  const unused = there.reduce((sum, costs) => sum + (costs.unused_bytes ?? 0), 0);
  return {
    key: ownerKey(row.owner),
    owner: row.owner,
    pages: there.length,
    requests: mean((costs) => costs.requests),
    weight: mean((costs) => costs.transferred_bytes),
    thread: known('main_thread_ms'),
    blocking: known('blocking_ms'),
    server: known('server_ms'),
    queries: known('queries'),
    path: known('path_ms'),
    unused: code > 0 ? unused / code : null,
    idle: there.filter(
      (costs) => (costs.code_bytes ?? 0) > 0 && (costs.unused_bytes ?? 0) >= IDLE * (costs.code_bytes ?? 0),
    ).length,
    suggested: row.suggested,
  };
}

/** The sums of all accounts. What is known of one is a sum of what is known. */
export function total(accounts: Account[]) {
  const sum = (of: (account: Account) => number | null) =>
    accounts.some((a) => of(a) !== null) ? accounts.reduce((all, a) => all + (of(a) ?? 0), 0) : null;
  return {
    requests: sum((a) => a.requests) ?? 0,
    weight: sum((a) => a.weight) ?? 0,
    thread: sum((a) => a.thread),
    blocking: sum((a) => a.blocking),
    server: sum((a) => a.server),
    queries: sum((a) => a.queries),
    path: sum((a) => a.path),
  };
}

/** What the servers' spans do not cover, as a mean over the pages that tell it. */
export function unexplained(view: OwnersView, places: number[]): number | null {
  const told = places.map((p) => view.pages[p]?.unexplained_ms ?? null).filter((ms): ms is number => ms !== null);
  return told.length ? told.reduce((a, b) => a + b, 0) / Math.max(1, places.length) : null;
}

/** What doing without an owner brings to the largest paint, as a mean over the pages; below 0 is sooner. */
export function gain(gains: OwnerGain[] | undefined, key: string, places: number[]): number | null {
  const own = gains?.find((g) => ownerKey(g.owner) === key);
  if (!own) return null;
  let known = false;
  let sum = 0;
  for (const place of places) {
    const lcp = own.on[place]?.find((b) => b.metric === 'lcp');
    if (!lcp) continue;
    known = true;
    sum += lcp.after - lcp.before;
  }
  return known ? sum / Math.max(1, places.length) : null;
}
