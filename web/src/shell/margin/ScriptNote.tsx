import { bytes, ms, WORK, WORK_ORDER } from '../../parts/format';
import { shortName } from '../../parts/names';
import type { Reading } from '../reading';
import { Address, FindingList, OwnerLink, Part, PlanButton, Rows, Title } from './parts';

/** A script: its main-thread time by kind of work. */
export function ScriptNote({ url, reading }: { url: string; reading: Reading }) {
  const { load, select } = reading;
  const script = load.main_thread?.by_script.find((s) => s.url === url);
  const row = load.requests.find((r) => r.url === url);
  const findings = load.findings.filter((f) => f.url === url);
  return (
    <>
      <Title>{shortName(url)}</Title>
      <Address url={url} />
      {script && (
        <Part title="Main-thread time">
          <Rows
            rows={[
              ...WORK_ORDER.filter((k) => (script.by_kind_ms[k] ?? 0) >= 0.5).map(
                (k) => [WORK[k].words, ms(script.by_kind_ms[k])] as [string, string],
              ),
              ['together', <strong key="t">{ms(script.total_ms)}</strong>],
              ['owner', <OwnerLink key="o" owner={script.owner} select={select} />],
            ]}
          />
        </Part>
      )}
      {row && (
        <button className="btn mt-3" onClick={() => select({ kind: 'request', id: row.id })}>
          Its request, {bytes(row.transferred_bytes)}
        </button>
      )}
      <FindingList findings={findings} reading={reading} title="Findings about it" />
      {findings[0] && <PlanButton finding={findings[0]} reading={reading} />}
    </>
  );
}
