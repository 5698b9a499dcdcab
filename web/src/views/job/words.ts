import type { Job } from '../../api/types';
import { plural } from '../../parts/format';

/** Whether nothing more comes of it. */
export const isOver = (job: Job) => job.state === 'done' || job.state === 'failed' || job.state === 'cancelled';

/** What the recordings that were asked for together are at. */
export function title(jobs: Job[] | null): string {
  const [only] = jobs ?? [];
  if (!jobs || !only) return 'Recording';
  if (jobs.length > 1) {
    const left = jobs.filter((job) => !isOver(job)).length;
    return left
      ? `Recording: ${jobs.length - left} of ${jobs.length} done`
      : `${plural(jobs.length, 'recording')}, all over`;
  }
  if (only.state === 'failed') return 'The recording failed';
  return only.state === 'cancelled' ? 'The recording was cancelled' : 'Recording';
}
