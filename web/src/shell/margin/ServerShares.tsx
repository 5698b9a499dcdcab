import { Link } from 'react-router';
import { useServerWork } from '../../api/server';
import { ms } from '../../parts/format';
import type { Reading } from '../reading';
import { Part, Rows } from './parts';

/** What the server did while a request waited: by owner, and the way to all of it. */
export function ServerShares({ request, reading }: { request: number; reading: Reading }) {
  const { recording, number, select } = reading;
  const { data } = useServerWork(recording.id, number);
  const answer = data?.answers.find((a) => a.request === request);
  if (!answer) return null;
  const uncovered = answer.by_kind.find((k) => k.kind === 'answer')?.ms ?? 0;
  return (
    <Part title="What the server did meanwhile">
      {answer.told_by === 'nobody' ? (
        <p className="text-ink-2">It did not tell.</p>
      ) : (
        <Rows
          rows={[
            ...answer.by_owner.slice(0, 8).map((share): [string, React.ReactNode] => [
              share.queries ? `${share.owner.name}, ${share.queries} queries` : share.owner.name,
              <button
                key="o"
                className="hover:text-accent"
                onClick={() => select({ kind: 'owner', owner: `${share.owner.kind} ${share.owner.name}` })}
              >
                {ms(share.ms)}
              </button>,
            ]),
            ...(uncovered >= 0.5 ? ([['no span covers it', ms(uncovered)]] as [string, React.ReactNode][]) : []),
            ...(answer.outside_ms !== null && answer.outside_ms >= 0.5
              ? ([['outside all spans', ms(answer.outside_ms)]] as [string, React.ReactNode][])
              : []),
          ]}
        />
      )}
      <Link
        className="btn mt-2"
        to={`/recordings/${recording.id}/server?${new URLSearchParams({ load: String(number), answer: String(request) })}`}
      >
        All of the server’s work
      </Link>
    </Part>
  );
}
