import type { Leg } from '../../api/types';
import { CAUSES, ms } from '../../parts/format';
import type { Reading } from '../reading';
import { ServerShares } from './ServerShares';
import { Address, FindingList, OwnerLink, Part, PlanButton, Rows, Title } from './parts';

/** A leg of the path: how long, why, whose, and what would shorten it. */
export function LegNote({ leg, reading }: { leg: Leg; reading: Reading }) {
  const { load, select } = reading;
  const row = load.requests.find((r) => r.id === leg.request);
  const findings = load.findings.filter((f) => f.request === leg.request && leg.request !== null);
  const key = load.lcp?.leg_findings[load.lcp.path.indexOf(leg)];
  const wanted = load.findings.find((f) => f.key === key);
  return (
    <>
      <Title>{leg.title}</Title>
      {leg.url && <Address url={leg.url} />}
      <p className="mt-2 text-[13px]">{leg.sentence}</p>
      <Part title="This leg">
        <Rows
          rows={[
            ['from', ms(leg.from_ms)],
            ['to', ms(leg.to_ms)],
            ['length', ms(leg.to_ms - leg.from_ms)],
            [
              'of the path',
              load.metrics.lcp_ms ? `${(((leg.to_ms - leg.from_ms) / load.metrics.lcp_ms) * 100).toFixed(0)} %` : '–',
            ],
            ['cause', CAUSES[leg.cause]],
            ['owner', <OwnerLink key="o" owner={leg.owner} select={select} />],
          ]}
        />
        {row && (
          <button className="btn mt-2" onClick={() => select({ kind: 'request', id: row.id })}>
            The request
          </button>
        )}
      </Part>
      {leg.cause === 'wait' && leg.request !== null && <ServerShares request={leg.request} reading={reading} />}
      {wanted ? (
        <Part title="What would shorten it">
          <PlanButton finding={wanted} reading={reading} />
        </Part>
      ) : (
        <Part title="What would shorten it">
          <p className="text-ink-2">No check calls for a fix here.</p>
        </Part>
      )}
      <FindingList findings={findings} reading={reading} title="Findings about it" />
    </>
  );
}
