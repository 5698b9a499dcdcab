import { useCostOfSpans, useMeasureSpans } from '../../api/server';
import { plural } from '../../parts/format';
import { Trouble } from '../../parts/states';
import { useNotice } from '../../shell/notices';
import { useReading } from '../../shell/reading';
import { Verdicts } from '../trials/Verdicts';

/** What spans cost the server that sends them: loads with them held against loads without. */
export function CostOfTelling() {
  const { recording } = useReading();
  const { data, error, refetch } = useCostOfSpans(recording.id);
  const measure = useMeasureSpans(recording.id);
  const say = useNotice();
  if (error) return <Trouble error={error} again={() => void refetch()} />;
  // What was imported cannot be recorded again: where there is nothing to compare, there is nothing to say.
  const canRecord = recording.source === 'recording';
  if (!data || (data.compared.length === 0 && !canRecord)) return null;
  const start = () =>
    measure.mutate(undefined, {
      onSuccess: (jobs) => say({ text: `${plural(jobs.length, 'recording')} of three loads wait in line.` }),
      onError: (error) => say({ text: error.message, bad: true }),
    });
  return (
    <section className="mt-8 max-w-[900px]" aria-label="What telling costs">
      <div className="flex items-center gap-3">
        <h2 className="text-[18px]">What telling costs the server</h2>
        {canRecord && (
          <button className="btn ml-auto" disabled={measure.isPending} onClick={start}>
            Record without and with spans
          </button>
        )}
      </div>
      {data.compared.length > 0 ? (
        <>
          <p className="text-[13.5px] text-ink-2">
            Loads of this page under these conditions, recorded within six hours of each other:{' '}
            {plural(data.without.length, 'recording')} for which the server was asked for no spans, and{' '}
            {data.with.length} with spans.
          </p>
          <Verdicts rows={data.compared} broken={false} names={['without', 'with']} />
        </>
      ) : (
        <p className="max-w-[680px] text-[13.5px] text-ink-2">
          Writing spans takes the server some time of its own.{' '}
          {data.with.length === 0
            ? 'No recording of this page has spans to hold against this one.'
            : 'No recording of this page was made without spans within six hours of one with them.'}{' '}
          The page can be recorded twice each way, turn by turn.
        </p>
      )}
    </section>
  );
}
