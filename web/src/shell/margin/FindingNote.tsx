import { useFindingForecasts } from '../../api/forecasts';
import type { Finding, Owner } from '../../api/types';
import { BringsTable } from '../../parts/BringsTable';
import { bytes, ms, plural } from '../../parts/format';
import { ownerKey } from '../../parts/names';
import type { Reading } from '../reading';
import { Address, OwnerLink, Part, PlanButton, Rows, Title } from './parts';

/** A finding: why it matters, where it stands, its evidence and its fix. */
export function FindingNote({ finding, reading }: { finding: Finding; reading: Reading }) {
  const { select } = reading;
  const sure = {
    measured: 'Read off the recording.',
    computed: 'Computed from the recorded bytes.',
    inferred: 'Inferred, as said above.',
  }[finding.sureness];
  return (
    <>
      <Title>{finding.title}</Title>
      {finding.url && <Address url={finding.url} />}
      <p className="mt-2 text-[13px]">{finding.why}</p>
      <Part title="Where it stands to the path">
        <p>
          {finding.on_path ? (
            <>
              <strong>{ms(finding.on_path_ms)}</strong> of the path to the largest paint are about it. What a fix brings
              can be less.
            </>
          ) : finding.standing === 'beside_path' ? (
            'Beside it: it was received while a leg of the path was downloading, and took part of the line.'
          ) : finding.standing === 'off_path' ? (
            'Off it: the largest paint does not wait for it.'
          ) : (
            'No path is known for this load.'
          )}
        </p>
      </Part>
      <Part title="Evidence">
        <Rows
          rows={finding.evidence.map((e) => [
            e.label,
            e.request !== null ? (
              <button className="text-accent" onClick={() => select({ kind: 'request', id: e.request as number })}>
                {e.value}
              </button>
            ) : (
              e.value
            ),
          ])}
        />
        <p className="mt-1 text-[12px] text-ink-2">{sure}</p>
      </Part>
      <Expected finding={finding} reading={reading} />
      <Part title="The fix">
        <PlanButton finding={finding} reading={reading} />
      </Part>
      <Part title="Owner">
        <OwnerSentence owner={finding.owner} reading={reading} />
      </Part>
    </>
  );
}

/** What the fix would bring alone, by forecast. */
function Expected({ finding, reading }: { finding: Finding; reading: Reading }) {
  const { data, error } = useFindingForecasts(reading.recording.id, reading.number);
  const own = data?.find((f) => f.finding === finding.key);
  const unknown = error ? 'The forecast could not be made.' : own?.unknown;
  return (
    <Part title="What the fix would bring, alone">
      {unknown ? (
        <p>Not known. {unknown}</p>
      ) : own ? (
        <>
          <BringsTable brings={own.brings} />
          <p className="mt-1 text-[12px] text-ink-2">
            Computed from the recorded loads; a trial loads the page really so.
          </p>
        </>
      ) : (
        <p className="text-ink-2">Being computed …</p>
      )}
    </Part>
  );
}

function OwnerSentence({ owner, reading }: { owner: Owner; reading: Reading }) {
  const account = reading.load.owners.find((o) => ownerKey(o) === ownerKey(owner));
  if (!account) return <p>{owner.name}</p>;
  return (
    <p>
      <OwnerLink owner={owner} select={reading.select} /> ({owner.kind.replace('_', ' ')}):{' '}
      {plural(account.requests, 'request')}, {bytes(account.transferred_bytes)}
      {account.main_thread_ms !== null && `, ${ms(account.main_thread_ms)} of main thread`}
      {account.path_ms ? `, ${ms(account.path_ms)} of the path` : ''}.
    </p>
  );
}
