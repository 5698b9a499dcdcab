import type { Job } from '../../api/types';

const STAGES: [NonNullable<Job['stage']>, string][] = [
  ['waiting', 'Waiting for another recording on this machine to end'],
  ['starting', 'Starting a browser with an empty profile'],
  ['logging_in', 'Doing the steps before the load'],
  ['connecting', 'Asking for the page'],
  ['loading', 'Loading'],
  ['settling', 'Waiting until network and main thread are quiet'],
  ['acting', 'Doing the scripted steps'],
  ['reading', 'Reading trace, bodies and document'],
  ['keeping', 'Analysing and keeping it'],
  ['detail', 'One more load for used code and inline styles'],
];

/** The recording under way: its steps, and the screen as it is now. */
export function Progress({ job }: { job: Job }) {
  // Most need not wait: the step is there only while it lasts.
  const rare = job.source === 'recording' ? ['waiting'] : ['waiting', 'logging_in', 'acting', 'detail'];
  const stages = STAGES.filter(([stage]) => !rare.includes(stage) || job.stage === stage);
  const at = stages.findIndex(([stage]) => stage === job.stage);
  return (
    <>
      <p className="mt-3 font-mono text-[12.5px] text-ink-2 [overflow-wrap:anywhere]">{job.url}</p>
      <p className="mt-1 text-[13px] text-ink-2">{job.conditions.name}</p>
      <div className="mt-4 flex gap-10">
        <div className="min-w-[320px]">
          <p className="font-serif text-xl" aria-live="polite">
            {job.state === 'queued'
              ? 'Waiting for its turn'
              : `Load ${Math.max(1, job.load)} of ${job.of}${job.visit === 'return' ? ', return visit' : ''}`}
          </p>
          <ol className="mt-3">
            {stages.map(([stage, words], i) => (
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
        </div>
        <div>
          <p className="subhead mb-1">The screen now</p>
          <div
            className="border border-rule-strong bg-white"
            style={{ height: 380, width: Math.min(520, (380 * job.conditions.width) / job.conditions.height) }}
          >
            {job.frame > 0 && (
              <img
                src={`/api/jobs/${job.id}/frame?n=${job.frame}`}
                alt="The newest picture of the page"
                className="h-full w-full object-contain object-top"
              />
            )}
          </div>
        </div>
      </div>
    </>
  );
}
