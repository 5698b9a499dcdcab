import type { RecordingHead } from '../../api/types';

/** The newest recording of each other page of the site, under the same conditions where there is one. */
export function usual(recordings: RecordingHead[], here: RecordingHead): number[] {
  const pages = new Map<string, RecordingHead>();
  for (const r of recordings) {
    if (r.site !== here.site || r.page === here.page || !r.summary) continue;
    const known = pages.get(r.page);
    const same = (x: RecordingHead) => x.conditions?.name === here.conditions?.name;
    if (!known || (same(r) && !same(known))) pages.set(r.page, r);
  }
  return [here.id, ...[...pages.values()].map((r) => r.id)].slice(0, 8);
}
