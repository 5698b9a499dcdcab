import { useQueryClient } from '@tanstack/react-query';
import { useEffect, useState } from 'react';
import { Link, useNavigate, useParams } from 'react-router';
import { send } from '../../api/client';
import type { Job } from '../../api/types';
import { plural } from '../../parts/format';
import { Progress } from './Progress';
import { isOver, title } from './words';

const STATES: Record<Job['state'], string> = {
  queued: 'waiting',
  running: 'recording',
  done: 'done',
  failed: 'failed',
  cancelled: 'cancelled',
};

/** What was asked for together, recorded one after the other, live. */
export default function JobView() {
  const id = useParams().id ?? '';
  const navigate = useNavigate();
  const client = useQueryClient();
  const [jobs, setJobs] = useState<Job[] | null>(null);
  const [lost, setLost] = useState<string | null>(null);
  useEffect(() => {
    const source = new EventSource(`/api/batches/${id}/events`);
    source.onmessage = (event) => {
      const next = JSON.parse(event.data as string) as Job[];
      setLost(null);
      setJobs(next);
      if (next.every(isOver)) {
        source.close();
        void client.invalidateQueries({ queryKey: ['jobs'] });
        void client.invalidateQueries({ queryKey: ['recordings'] });
        const [only] = next;
        if (next.length === 1 && only?.state === 'done' && only.recording !== null) {
          void navigate(`/recordings/${only.recording}/glance`, { replace: true });
        }
      }
    };
    source.onerror = () => {
      if (source.readyState === EventSource.CLOSED)
        setLost('These recordings are not under way any more; the server may have been restarted.');
      else setLost('The server does not answer at the moment; trying again.');
    };
    return () => source.close();
  }, [id, client, navigate]);

  const over = jobs?.every(isOver) ?? false;
  const running = jobs?.find((job) => job.state === 'running') ?? jobs?.find((job) => !isOver(job)) ?? jobs?.at(-1);
  const open = jobs?.filter((job) => !isOver(job)) ?? [];
  const cancel = (some: Job[]) => some.forEach((job) => void send('DELETE', `/jobs/${job.id}`));
  return (
    <main className="min-h-0 overflow-y-auto bg-sheet px-6 py-5">
      <h1 className="text-[26px]">{title(jobs)}</h1>
      {lost && !over && <p className="mt-4 border-l-4 border-past bg-paper px-3 py-2">{lost}</p>}
      {jobs && jobs.length > 1 && (
        <table className="mt-3 w-full max-w-[900px] text-[13px]">
          <thead>
            <tr className="border-b border-rule-strong">
              <th className="py-1">Page</th>
              <th>Conditions</th>
              <th>State</th>
              <th className="text-right">Loads kept</th>
              <th>
                <span className="sr-only">What one can do</span>
              </th>
            </tr>
          </thead>
          <tbody>
            {jobs.map((job) => (
              <tr key={job.id} className={`border-b border-rule ${job === running ? 'bg-soft/60' : ''}`}>
                <td className="max-w-[300px] py-1">
                  <span className="block truncate font-semibold">{job.page}</span>
                  <span className="block truncate font-mono text-[12px] text-ink-2" title={job.url}>
                    {job.url.replace(/^https?:\/\//, '')}
                  </span>
                </td>
                <td>{job.conditions.name}</td>
                <td className={job.state === 'failed' ? 'text-past' : ''} title={job.error ?? ''}>
                  {STATES[job.state]}
                  {job.state === 'running' && `, load ${Math.max(1, job.load)} of ${job.of}`}
                  {job.error && <span className="block max-w-[260px] truncate text-[12px]">{job.error}</span>}
                </td>
                <td className="text-right">{job.kept || '–'}</td>
                <td className="pl-3 text-right">
                  {isOver(job) ? (
                    job.recording !== null && (
                      <Link className="text-accent" to={`/recordings/${job.recording}/glance`}>
                        open
                      </Link>
                    )
                  ) : (
                    <button
                      className="btn btn-quiet !py-0"
                      aria-label={`Cancel ${job.page}, ${job.conditions.name}`}
                      onClick={() => cancel([job])}
                    >
                      cancel
                    </button>
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {over ? (
        <Outcome jobs={jobs ?? []} />
      ) : (
        running && (
          <>
            <Progress job={running} />
            <button className="btn mt-5" onClick={() => cancel(open)}>
              {open.length > 1 ? `Cancel all ${open.length}` : 'Cancel the recording'}
            </button>
          </>
        )
      )}
    </main>
  );
}

/** What came of it, once nothing is under way any more. */
function Outcome({ jobs }: { jobs: Job[] }) {
  const [only] = jobs;
  const kept = only && only.recording !== null && only.kept > 0;
  return (
    <>
      {jobs.length === 1 && only?.state === 'failed' && (
        <p role="alert" className="mt-4 max-w-[640px] border-l-4 border-past bg-paper px-4 py-3">
          {only.error}{' '}
          {kept
            ? `${plural(only.kept, 'load')} made before that ${only.kept === 1 ? 'is' : 'are'} kept.`
            : 'Nothing was kept of it.'}
        </p>
      )}
      {jobs.length === 1 && only?.state === 'cancelled' && (
        <p className="mt-3">
          {kept
            ? `${plural(only.kept, 'load')} made until then ${only.kept === 1 ? 'is' : 'are'} kept.`
            : 'No load had been made by then, so nothing is kept.'}
        </p>
      )}
      <p className="mt-4 flex gap-2">
        {jobs.length === 1 && kept && (
          <Link className="btn btn-main" to={`/recordings/${only.recording}/glance`}>
            Open what is kept
          </Link>
        )}
        <Link className="btn" to="/recordings">
          All recordings
        </Link>
      </p>
    </>
  );
}
