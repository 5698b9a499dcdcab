import type { PlannedFix } from '../../api/types';

/** Where the fixes are chosen to be tried together on a load. */
export function trialOf(recording: number, load: number | null, fixes: PlannedFix[]): string {
  const search = new URLSearchParams(load ? { load: String(load) } : {});
  for (const fix of fixes) search.append('try', fix.fix.key);
  return `/recordings/${recording}/trials?${search}`;
}
