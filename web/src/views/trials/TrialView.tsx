import { useEffect } from 'react';
import { Link, useNavigate, useParams } from 'react-router';
import { useTrial, useTrialChanges } from '../../api/trials';
import type { SaidResult, Trial } from '../../api/types';
import { metricText, plural, signed } from '../../parts/format';
import { Trouble, Waiting } from '../../parts/states';
import { useNotice } from '../../shell/notices';
import { useReading } from '../../shell/reading';
import { Progress } from '../job/Progress';
import { isOver } from '../job/words';
import { Changes } from './Changes';
import { Paths, Strips } from './Strips';
import { Verdicts } from './Verdicts';
import { title, VERDICTS } from './words';

/** One trial: under way, or what came of it. */
export default function TrialView() {
  const { recording } = useReading();
  const id = Number(useParams().trial);
  const trial = useTrial(id);
  const changes = useTrialChanges(recording.id);
  const navigate = useNavigate();
  const say = useNotice();
  useEffect(() => {
    if (trial.data) document.title = `Trial: ${title(trial.data)} · Phainon`;
  }, [trial.data]);
  if (!Number.isInteger(id)) return <Trouble error={new Error('This address names no trial.')} />;
  if (trial.error) return <Trouble error={trial.error} again={() => void trial.refetch()} />;
  if (!trial.data) return <Waiting />;
  const { state, result } = trial.data;
  const all = `/recordings/${recording.id}/trials`;
  const running = state === 'running';
  const remove = () =>
    changes.remove.mutate(id, {
      onSuccess: () => {
        if (running) void trial.refetch();
        else void navigate(all);
        say({ text: running ? 'The trial is being ended.' : 'The trial is gone.' });
      },
      onError: (error) => say({ text: error.message, bad: true }),
    });
  return (
    <div className="px-5 pb-10 pt-2">
      <p className="text-[13px]">
        <Link className="text-accent" to={all}>
          All trials of this recording
        </Link>
      </p>
      <h1 className="text-[25px] leading-tight [overflow-wrap:anywhere]">
        {running ? 'Trying: ' : state === 'cancelled' ? 'Cancelled: ' : ''}
        {title(trial.data)}
      </h1>
      <p className="text-[13px] text-ink-2">
        On load {trial.data.load} of this recording
        {trial.data.until_sure && ', with more loads until the verdicts stand'}
        {trial.data.return_visits && ', each followed by a return visit'}.
      </p>
      <Tried trial={trial.data} />
      {running && <UnderWay trial={trial.data} />}
      {state === 'failed' && (
        <p role="alert" className="mt-4 max-w-[640px] border-l-4 border-past bg-paper px-4 py-3">
          {trial.data.error}
        </p>
      )}
      {state === 'cancelled' && <p className="mt-3">It was ended before it could tell; nothing was compared.</p>}
      {result && <Result trial={trial.data} result={result} />}
      {state === 'done' && (
        <>
          <Strips replay={trial.data.replay} tried={trial.data.tried} />
          <Paths replay={trial.data.replay} tried={trial.data.tried} />
          <Changes trial={id} />
        </>
      )}
      <p className="mt-8">
        <button className="btn" onClick={remove}>
          {running ? 'Cancel the trial' : 'Forget this trial'}
        </button>
      </p>
    </div>
  );
}

/** Everything that is tried, where it is more than the title says. */
function Tried({ trial }: { trial: Trial }) {
  if (trial.edits.length + trial.by_hand.length < 2) return null;
  return (
    <ul className="mt-2 max-h-[180px] max-w-[900px] list-disc overflow-y-auto pl-5 text-[13px]">
      {trial.edits.map((e) => (
        <li key={e.key} className="[overflow-wrap:anywhere]">
          {e.title}
        </li>
      ))}
      {trial.by_hand.map((url) => (
        <li key={url} className="[overflow-wrap:anywhere]">
          {url}, by hand
        </li>
      ))}
    </ul>
  );
}

function UnderWay({ trial }: { trial: Trial }) {
  const job = trial.jobs.find((j) => j.state === 'running') ?? trial.jobs.find((j) => !isOver(j));
  if (!job) return <p className="mt-4 text-ink-2">Comparing the loads.</p>;
  const plain = job.source === 'replay';
  // Jobs after the first of each kind add to what was compared before.
  if (trial.jobs.filter((j) => j.source === job.source).indexOf(job) > 0 || trial.jobs.at(-1)?.source === 'replay')
    return (
      <section aria-label="Progress" className="mt-4">
        <h2 className="text-[18px]">
          The verdicts do not stand yet: more loads {plain ? 'without any edit' : 'with the edits'}
        </h2>
        <Progress job={job} />
      </section>
    );
  return (
    <section aria-label="Progress" className="mt-4">
      <h2 className="text-[18px]">{plain ? 'First, the load replayed without any edit' : 'Now with the edits'}</h2>
      <p className="text-[13px] text-ink-2">
        {plain
          ? 'What is tried is held against this, not against the recording: both come from the same kept responses.'
          : trial.jobs.length > 1
            ? 'The replay without edits is made; later trials of this load use it again.'
            : 'A replay without edits is there from an earlier trial.'}
      </p>
      <Progress job={job} />
    </section>
  );
}

function Result({ trial, result }: { trial: Trial; result: SaidResult }) {
  const lcp = result.metrics.find((m) => m.compared.metric === 'lcp');
  const { answered } = result;
  const all = answered.exactly + answered.nearly + answered.not;
  return (
    <>
      <p className="mt-2 text-[15px]">
        {result.is_broken ? (
          <strong>The page is broken; its figures say nothing.</strong>
        ) : lcp ? (
          <>
            Largest paint: <strong>{VERDICTS[lcp.verdict]}</strong>, {signed('lcp', lcp.compared.difference)}
            {lcp.compared.low !== null &&
              lcp.compared.high !== null &&
              ` (${signed('lcp', lcp.compared.low)} … ${signed('lcp', lcp.compared.high)})`}
            .
          </>
        ) : null}
      </p>
      {result.broken.length > 0 && (
        <div
          role="note"
          className={`mt-3 max-w-[900px] border-l-4 bg-paper px-4 py-2 text-[13px] ${result.is_broken ? 'border-past' : 'border-rule-strong'}`}
        >
          <h2 className="text-[16px]">{result.is_broken ? 'What broke' : 'What looks different, as it is meant to'}</h2>
          {result.broken.map((line) => (
            <p key={line} className="[overflow-wrap:anywhere]">
              {line}
            </p>
          ))}
        </div>
      )}
      <Verdicts rows={result.metrics} broken={result.is_broken} names={['without', 'with']} />
      {result.returning.length > 0 && (
        <section aria-label="Return visits">
          <h2 className="mt-5 text-[18px]">On return visits</h2>
          <Verdicts rows={result.returning} broken={result.is_broken} names={['without', 'with']} />
        </section>
      )}
      <div className="mt-3 max-w-[900px] space-y-1 text-[13px] text-ink-2">
        {result.told.map((line) => (
          <p key={line}>{line}</p>
        ))}
        {result.differs.map((line) => (
          <p key={line}>{line}</p>
        ))}
        <p>
          {plural(lcp?.compared.b_values.length ?? trial.loads, 'load')}, {plural(all, 'request')}: {answered.exactly}{' '}
          answered with what was recorded for their address, {answered.nearly} for an address that differs in what
          changes from load to load, {answered.not} not at all
          {result.unknown.length > 0 && ` (${result.unknown.map(([url]) => url).join(', ')})`}.
        </p>
        {result.not_replayed.map((line) => (
          <p key={line}>{line}</p>
        ))}
        <Fidelity result={result} />
        <p className="flex gap-4">
          {trial.replay !== null && (
            <Link className="text-accent" to={`/recordings/${trial.replay}/glance`}>
              The replay without edits, in all sections
            </Link>
          )}
          {trial.tried !== null && (
            <Link className="text-accent" to={`/recordings/${trial.tried}/glance`}>
              The trial, in all sections
            </Link>
          )}
        </p>
      </div>
    </>
  );
}

/** How near the replay comes to the recording itself. */
function Fidelity({ result }: { result: SaidResult }) {
  const told = result.replayed.filter((c) => ['lcp', 'fcp', 'tbt', 'speed_index'].includes(c.metric));
  if (!told.length) return null;
  const names: Record<string, string> = { lcp: 'LCP', fcp: 'FCP', tbt: 'TBT', speed_index: 'Speed Index' };
  return (
    <p>
      The replay against the recording:{' '}
      {told
        .map((c) => `${names[c.metric]} ${metricText(c.metric, c.b)} against ${metricText(c.metric, c.a)}`)
        .join(', ')}
      .
    </p>
  );
}
