import { useQueryClient } from '@tanstack/react-query';
import { useEffect, useState } from 'react';
import { Link, useNavigate, useParams } from 'react-router';
import { send } from '../../api/client';
import type { Job } from '../../api/types';

const STAGES: [NonNullable<Job['stage']>, string][] = [
  ['starting', 'Starting a browser with an empty profile'],
  ['connecting', 'Asking for the page'],
  ['loading', 'Loading'],
  ['settling', 'Waiting until network and main thread are quiet'],
  ['acting', 'Doing the scripted steps'],
  ['reading', 'Reading trace, bodies and document'],
  ['detail', 'One more load for used code and inline styles'],
  ['keeping', 'Analysing and keeping it'],
];

/** A recording under way, live. */
export default function JobView() {
  const id = useParams().id ?? '';
  const navigate = useNavigate();
  const client = useQueryClient();
  const [job, setJob] = useState<Job | null>(null);
  const [lost, setLost] = useState<string | null>(null);
  const [frame, setFrame] = useState<string | null>(null);
  useEffect(() => {
    const source = new EventSource(`/api/jobs/${id}/events`);
    source.onmessage = (event) => {
      const next = JSON.parse(event.data as string) as Job;
      setLost(null);
      setJob(next);
      if (next.frame) setFrame(next.frame);
      if (next.state === 'done' || next.state === 'failed' || next.state === 'cancelled') {
        source.close();
        void client.invalidateQueries({ queryKey: ['jobs'] });
        void client.invalidateQueries({ queryKey: ['recordings'] });
        if (next.recording !== null) void navigate(`/recordings/${next.recording}/glance`, { replace: true });
      }
    };
    source.onerror = () => {
      if (source.readyState === EventSource.CLOSED)
        setLost('This recording is not under way any more; the server may have been restarted.');
      else setLost('The server does not answer at the moment; trying again.');
    };
    return () => source.close();
  }, [id, client, navigate]);

  const over = job?.state === 'failed' || job?.state === 'cancelled';
  const at = STAGES.findIndex(([stage]) => stage === job?.stage);
  return (
    <main className="min-h-0 overflow-y-auto bg-sheet px-6 py-5">
      <h1 className="text-[26px]">
        {job?.state === 'failed'
          ? 'The recording failed'
          : job?.state === 'cancelled'
            ? 'The recording was cancelled'
            : 'Recording'}
      </h1>
      {job && <p className="font-mono text-[12.5px] text-ink-2 [overflow-wrap:anywhere]">{job.url}</p>}
      {job && <p className="mt-1 text-[13px] text-ink-2">{job.conditions.name}</p>}
      {lost && !over && <p className="mt-4 border-l-4 border-past bg-paper px-3 py-2">{lost}</p>}
      {job?.state === 'failed' && (
        <p role="alert" className="mt-4 max-w-[640px] border-l-4 border-past bg-paper px-4 py-3">
          {job.error} Nothing was kept of it.
        </p>
      )}
      {over ? (
        <Link className="btn mt-4" to="/recordings">
          All recordings
        </Link>
      ) : (
        job && (
          <div className="mt-5 flex gap-10">
            <div className="min-w-[320px]">
              <p className="font-serif text-xl" aria-live="polite">
                {job.state === 'queued'
                  ? 'Waiting for the recording before it'
                  : `Load ${Math.max(1, job.load)} of ${job.of}${job.visit === 'return' ? ', return visit' : ''}`}
              </p>
              <ol className="mt-3">
                {STAGES.map(([stage, words], i) => (
                  <li
                    key={stage}
                    aria-current={i === at ? 'step' : undefined}
                    className={`border-l-2 py-1 pl-3 ${i === at ? 'border-accent font-semibold' : i < at ? 'border-rule-strong text-ink-2' : 'border-rule text-ink-3'}`}
                  >
                    {words}
                    {i === at && stage === 'loading' && `, ${job.requests} requests`}
                  </li>
                ))}
              </ol>
              <div className="mt-4 flex gap-1" aria-hidden>
                {Array.from({ length: job.of }, (_, i) => (
                  <span
                    key={i}
                    className="h-1.5 w-10"
                    style={{
                      background:
                        i + 1 < job.load ? 'var(--accent)' : i + 1 === job.load ? 'var(--rule-strong)' : 'var(--rule)',
                    }}
                  />
                ))}
              </div>
              <button className="btn mt-5" onClick={() => void send('DELETE', `/jobs/${id}`)}>
                Cancel the recording
              </button>
            </div>
            <div>
              <p className="subhead mb-1">The screen now</p>
              <div
                className="border border-rule-strong bg-white"
                style={{ height: 380, width: Math.min(520, (380 * job.conditions.width) / job.conditions.height) }}
              >
                {frame && (
                  <img
                    src={frame}
                    alt="The newest picture of the page"
                    className="h-full w-full object-contain object-top"
                  />
                )}
              </div>
            </div>
          </div>
        )
      )}
    </main>
  );
}
