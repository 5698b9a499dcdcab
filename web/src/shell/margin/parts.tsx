import { Link } from 'react-router';
import type { Finding, Owner } from '../../api/types';
import { EFFORT, ms, RISK, STANDING } from '../../parts/format';
import { ownerKey } from '../../parts/names';
import type { Reading } from '../reading';

export function Title({ children }: { children: React.ReactNode }) {
  return <h2 className="text-[19px] leading-tight [overflow-wrap:anywhere]">{children}</h2>;
}

export function Part({ title, children }: { title?: string; children: React.ReactNode }) {
  return (
    <section className="mt-4 border-t border-rule-strong pt-3 text-[13px]">
      {title && <h3 className="subhead mb-1">{title}</h3>}
      {children}
    </section>
  );
}

export function Rows({ rows }: { rows: [string, React.ReactNode][] }) {
  return (
    <dl>
      {rows.map(([name, value], i) => (
        <div key={i} className="flex justify-between gap-3 py-[1.5px]">
          <dt className="text-ink-2">{name}</dt>
          <dd className="text-right [overflow-wrap:anywhere]">{value}</dd>
        </div>
      ))}
    </dl>
  );
}

export function Address({ url }: { url: string }) {
  return (
    <p className="mt-1 max-h-24 overflow-y-auto font-mono text-[12px] leading-snug text-ink-2 [overflow-wrap:anywhere]">
      {url}
    </p>
  );
}

export function PlanButton({ finding, reading }: { finding: Finding; reading: Reading }) {
  const planned = reading.planned(finding);
  return (
    <div className="mt-3">
      <p className="text-[13px]">
        <strong>{finding.fix.title}.</strong>{' '}
        <span className="text-ink-2">
          Effort {EFFORT[finding.fix.effort]}, risk: {RISK[finding.fix.risk]} (as a rule for this kind of fix).
        </span>
      </p>
      <button className="btn btn-accent mt-2" disabled={planned} onClick={() => reading.addToPlan(finding)}>
        {planned ? 'In the plan' : 'Add to the plan'} {!planned && <span className="key">.</span>}
      </button>{' '}
      <Link
        className="btn mt-2"
        to={`/recordings/${reading.recording.id}/trials?${new URLSearchParams({ load: String(reading.number), try: finding.fix.key })}`}
      >
        Try it
      </Link>
    </div>
  );
}

export function FindingList({ findings, reading, title }: { findings: Finding[]; reading: Reading; title: string }) {
  if (!findings.length) return null;
  return (
    <Part title={title}>
      <ul>
        {findings.map((f) => (
          <li key={f.key} className="py-0.5">
            <button
              className="flex w-full justify-between gap-3 text-left hover:text-accent"
              onClick={() => reading.select({ kind: 'finding', key: f.key })}
            >
              <span className="[overflow-wrap:anywhere]">{f.title}</span>
              <span className="shrink-0 text-ink-2">
                {f.on_path ? ms(f.on_path_ms) : f.standing === 'unknown' ? '' : STANDING[f.standing]}
              </span>
            </button>
          </li>
        ))}
      </ul>
    </Part>
  );
}

/** The owner's name, which selects it. */
export function OwnerLink({ owner, select }: { owner: Owner; select: Reading['select'] }) {
  return (
    <button className="text-accent" onClick={() => select({ kind: 'owner', owner: ownerKey(owner) })}>
      {owner.name}
    </button>
  );
}
