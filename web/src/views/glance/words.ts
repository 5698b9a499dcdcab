import type { RecordingHead } from '../../api/types';
import { bytes, ms, plural } from '../../parts/format';

/** What a recording comes to, in one line. */
export function headline(recording: RecordingHead): string {
  const lcp = recording.summary?.rows.find((r) => r.metric === 'lcp');
  if (!recording.summary && recording.loads.some((l) => l.failed)) return 'No load of it counts';
  const phone = recording.conditions?.mobile ? 'on a phone' : recording.conditions ? 'on a laptop' : '';
  if (!lcp) {
    const weight = recording.summary?.rows.find((r) => r.metric === 'weight');
    return weight ? `${bytes(weight.median)} over the line; paints are not in this file` : 'What this file tells';
  }
  const pace = { within: 'In good time', near: 'Not quite in time', past: 'Slow' }[lcp.rating];
  return `${pace} ${phone}: the largest paint comes at ${ms(lcp.median)}`.replace(' :', ':');
}

/** How many measures are out, and over how many loads that was found. */
export function subline(recording: RecordingHead): string {
  if (!recording.summary && recording.loads.some((l) => l.failed)) {
    return 'Every load failed, so nothing is summed up. What was observed until then stands in the sections.';
  }
  const rows = recording.summary?.rows ?? [];
  const past = rows.filter((r) => r.rating === 'past').length;
  const near = rows.filter((r) => r.rating === 'near').length;
  const of = `Of ${plural(rows.length, 'measure')}, ${past ? `${past} ${past === 1 ? 'is' : 'are'} past the limit` : 'none is past its limit'}${near ? ` and ${near} near it` : ''}.`;
  const firsts = recording.loads.filter((l) => l.has_data && l.visit === 'first').length;
  const counted = firsts || recording.loads.filter((l) => l.has_data).length;
  const what = firsts ? 'first visits' : 'return visits';
  if (recording.source !== 'recording') return `${of} Read from ${recording.imported_from ?? 'an imported file'}.`;
  const spread = recording.summary?.lcp_spread;
  const returns = recording.summary?.return_visits && firsts ? ' The hollow mark is the return visits’ median.' : '';
  if (counted < 2) return `${of} One load: one number lies, so record several before you trust it.${returns}`;
  return `${of} Median of ${counted} ${what}${spread !== null && spread !== undefined ? `; their largest paints agree to within ${Math.ceil(spread * 100)} %` : ''}.${returns}`;
}
