import { Link } from 'react-router';
import { useTrialOffer, useTrials } from '../../api/trials';
import type { Trial } from '../../api/types';
import { Ask } from '../../parts/Ask';
import { day, metricText, plural, signed } from '../../parts/format';
import { Trouble, Waiting } from '../../parts/states';
import { useReading } from '../../shell/reading';
import { Compose } from './Compose';
import { title, VERDICTS } from './words';

/** What can be tried of a load, and what was. */
export default function TrialsView() {
  const { recording, number } = useReading();
  const offer = useTrialOffer(recording.id, number);
  const trials = useTrials(recording.id);
  if (offer.error) return <Trouble error={offer.error} again={() => void offer.refetch()} />;
  if (!offer.data || !trials.data) return <Waiting />;
  return (
    <div className="px-5 pb-10 pt-2">
      <h1 className="text-[25px] leading-tight">
        {trials.data.length
          ? `${plural(trials.data.length, 'trial')} of this recording`
          : 'No trial of this recording yet'}
      </h1>
      <p className="max-w-[760px] text-[13.5px] text-ink-2">
        A trial serves the recorded load again from its kept responses, with edits made to them on the way, and really
        loads it in the browser. The site is neither asked nor changed.
      </p>
      {offer.data.problem ? (
        <div role="note" className="mt-4 max-w-[640px] border-l-4 border-past bg-paper px-4 py-3">
          <h2 className="text-lg">This load cannot be tried</h2>
          <p className="text-ink-2">{offer.data.problem}</p>
        </div>
      ) : (
        <Compose key={`${recording.id} ${number}`} offer={offer.data} />
      )}
      {trials.data.length > 0 && <Made trials={trials.data} />}
    </div>
  );
}

/** The trials that were made, newest first. */
function Made({ trials }: { trials: Trial[] }) {
  return (
    <section className="mt-8 max-w-[1000px]" aria-label="Trials made">
      <h2 className="text-[18px]">Made so far</h2>
      <table className="mt-1 w-full text-[13px]">
        <thead>
          <tr className="border-b border-rule-strong">
            <th className="py-1">Tried</th>
            <th className="w-[90px]">Load</th>
            <th className="w-[120px] text-right">
              <Ask how="Median of the trial’s LCP less that of the replay without edits.">LCP</Ask>
            </th>
            <th className="w-[120px] pl-5">Verdict</th>
            <th className="w-[150px]">Made</th>
          </tr>
        </thead>
        <tbody>
          {trials.map((trial) => {
            const lcp = trial.result?.metrics.find((m) => m.compared.metric === 'lcp');
            return (
              <tr key={trial.id} className="border-b border-rule align-top">
                <td className="py-1.5 pr-4">
                  <Link
                    className="font-semibold hover:text-accent [overflow-wrap:anywhere]"
                    to={`/recordings/${trial.recording}/trials/${trial.id}`}
                  >
                    {title(trial)}
                  </Link>
                </td>
                <td className="pt-1.5">{trial.load}</td>
                <td className="pt-1.5 text-right">
                  {lcp && (
                    <Ask
                      how={`${metricText('lcp', lcp.compared.a)} without, ${metricText('lcp', lcp.compared.b)} with.`}
                    >
                      {signed('lcp', lcp.compared.difference)}
                    </Ask>
                  )}
                </td>
                <td className="pl-5 pt-1.5">
                  {trial.state === 'running'
                    ? 'under way'
                    : trial.state === 'failed'
                      ? 'failed'
                      : trial.state === 'cancelled'
                        ? 'cancelled'
                        : trial.result?.is_broken
                          ? 'broken'
                          : lcp
                            ? VERDICTS[lcp.verdict]
                            : '–'}
                </td>
                <td className="pt-1.5 text-ink-2">{day(trial.made_at)}</td>
              </tr>
            );
          })}
        </tbody>
      </table>
    </section>
  );
}
