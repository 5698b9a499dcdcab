import { useServerWork } from '../../api/server';
import type { ServerAnswer, ServerView as Told } from '../../api/types';
import { Ask } from '../../parts/Ask';
import { ms, plural } from '../../parts/format';
import { ownerKey, shortName } from '../../parts/names';
import { Trouble, Waiting } from '../../parts/states';
import { useParam } from '../../parts/useParam';
import { useReading } from '../../shell/reading';
import { AnswerWork } from './AnswerWork';
import { CostOfTelling } from './CostOfTelling';
import { Profiles } from './Profiles';
import { ProfileView } from './ProfileView';

/** What the server did to make the page, and other answers that took it long. */
export default function ServerView() {
  const { recording, number } = useReading();
  const { data, error, refetch } = useServerWork(recording.id, number);
  const [profile, setProfile] = useParam('profile');
  if (profile) return <ProfileView id={profile} leave={() => setProfile('')} />;
  if (error) return <Trouble error={error} again={() => void refetch()} />;
  if (!data) return <Waiting />;
  return (
    <>
      <Work view={data} />
      <div className="px-5 pb-8">
        <CostOfTelling />
        <Profiles />
      </div>
    </>
  );
}

const nameOf = (answer: ServerAnswer) => (answer.document ? 'the page' : shortName(answer.url));

function Work({ view }: { view: Told }) {
  const { load, select, selection } = useReading();
  const [wanted, setWanted] = useParam('answer');
  const answer = view.answers.find((a) => String(a.request) === wanted) ?? view.answers[0];
  if (!answer) {
    return (
      <div className="px-5 py-4">
        <h1 className="text-[25px]">No answer came from a server</h1>
        <p className="mt-1 text-ink-2">The document came from a cache, or the load holds no requests.</p>
      </div>
    );
  }
  const findingOf = (text: string) => {
    const found = load.findings.find((f) => f.fix.target === `query ${text}`);
    return found && (() => select({ kind: 'finding', key: found.key }));
  };
  const first = answer.by_owner.find((o) => o.owner.kind !== 'site');
  const most = answer.told_by === 'spans' && first && answer.server_ms;
  return (
    <div className="px-5 pt-2">
      {view.answers.length > 1 && (
        <label className="float-right ml-4 mt-1 flex items-center gap-2 text-[13px] text-ink-2">
          Answer for
          <select
            className="max-w-[280px] rounded border border-rule-strong bg-sheet px-1 py-0.5"
            value={String(answer.request)}
            onChange={(e) => setWanted(e.target.value)}
          >
            {view.answers.map((a) => (
              <option key={a.request} value={String(a.request)}>
                {nameOf(a)}, {ms(a.server_ms)}
              </option>
            ))}
          </select>
        </label>
      )}
      <h1 className="text-[25px] leading-tight [overflow-wrap:anywhere]">
        The server takes {ms(answer.server_ms)} for {nameOf(answer)}
        {most && first.ms >= 5 ? `; ${first.owner.name} takes ${ms(first.ms)} of it` : ''}
      </h1>
      <p className="text-[13.5px] text-ink-2">
        <Ask how="From the moment the request was sent to its first byte.">{ms(answer.wait_ms)} of waiting</Ask>, of it{' '}
        {ms(answer.round_trip_ms)} the way there and back
        {answer.span_ms !== null && (
          <>
            ; spans cover{' '}
            <Ask how="From the beginning of the answer’s span to its end. It is laid into the middle of the wait: the server’s clock is not the browser’s.">
              {ms(answer.span_ms)}
            </Ask>
            , {ms(answer.outside_ms)} lie outside of them
          </>
        )}
        {answer.services.length > 0 && `. Told by ${answer.services.join(', ')}`}.
      </p>
      {answer.told_by === 'nobody' && <Untold />}
      <AnswerWork
        answer={answer}
        pick={(owner) => select({ kind: 'owner', owner: ownerKey(owner) })}
        picked={selection?.kind === 'owner' ? selection.owner : undefined}
        findingOf={findingOf}
      />
      {answer.document && <Afresh view={view} />}
      {view.notes.map((note) => (
        <p key={note} className="mt-3 text-[13px] text-ink-2">
          {note}
        </p>
      ))}
    </div>
  );
}

/** How a server is brought to tell. */
function Untold() {
  return (
    <div className="mt-4 max-w-[680px] border border-rule bg-sheet px-5 py-4 text-[13.5px]">
      <h2 className="text-[18px]">The server told nothing of its work</h2>
      <p className="mt-1 text-ink-2">
        While it records, Phainon asks the page’s own host for a trace (the <code>traceparent</code> header) and takes
        spans at <code className="font-mono text-[12.5px]">{location.origin}/v1/traces</code>, as OpenTelemetry’s
        exporters send them (OTLP over HTTP). Point the exporter of your server there and record again;{' '}
        <code className="font-mono text-[12.5px]">docs/connect-your-server.md</code> tells how for PHP, Python and Node.
        A <code>Server-Timing</code> header is read as well.
      </p>
    </div>
  );
}

/** Whether the page was made anew for each visit though nothing had changed. */
function Afresh({ view }: { view: Told }) {
  const { afresh } = view;
  if (!afresh) return null;
  const times = view.loads.map(([, took]) => ms(took)).join(', ');
  const same = afresh.alike === afresh.server_ms.length;
  return (
    <section className="mt-6 max-w-[720px]" aria-label="Over the visits">
      <h2 className="text-[18px]">
        {afresh.quickest_ms !== null
          ? `One of ${afresh.server_ms.length} visits had it from a cache`
          : `Made anew for each of ${plural(afresh.server_ms.length, 'visit')}`}
      </h2>
      <p className="text-[13.5px] text-ink-2">
        The server took {times}.{' '}
        {afresh.alike === 0
          ? 'The document’s bytes were other ones each time, so that something in it changes with the visit, or they were not kept.'
          : same
            ? 'The document’s bytes were the same each time: nothing had changed.'
            : `The document’s bytes were the same in ${afresh.alike} of them.`}{' '}
        {afresh.quickest_ms !== null
          ? `From the cache it took ${ms(afresh.quickest_ms)}: that is what a page cache leaves.`
          : 'No visit came from a cache, so what one would save here is by forecast alone: see the findings.'}
      </p>
    </section>
  );
}
