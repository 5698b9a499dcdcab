import type { OwnerAccount } from '../../api/types';
import { bytes, KINDS, ms, plural } from '../../parts/format';
import { ownerKey } from '../../parts/names';
import type { Reading } from '../reading';
import { FindingList, Part, Rows, Title } from './parts';

/** An owner: its account in this load, and its requests. */
export function OwnerNote({ owner, reading }: { owner: OwnerAccount; reading: Reading }) {
  const { load, select } = reading;
  const rows = load.requests
    .filter((r) => ownerKey(r.owner) === ownerKey(owner))
    .sort((a, b) => (b.transferred_bytes ?? 0) - (a.transferred_bytes ?? 0));
  return (
    <>
      <Title>{owner.name}</Title>
      <p className="mt-1 text-[13px] text-ink-2">{owner.kind.replace('_', ' ')}</p>
      <Part title="Its account in this load">
        <Rows
          rows={[
            ['requests', owner.requests],
            ['transferred', bytes(owner.transferred_bytes)],
            ['main thread', owner.main_thread_ms === null ? 'not known' : ms(owner.main_thread_ms)],
            ['server', owner.server_ms === null ? 'not told' : ms(owner.server_ms)],
            ['queries', owner.queries === null ? 'not told' : owner.queries],
            ['of the path', owner.path_ms === null ? 'not known' : ms(owner.path_ms)],
          ]}
        />
      </Part>
      <FindingList
        findings={load.findings.filter((f) => ownerKey(f.owner) === ownerKey(owner))}
        reading={reading}
        title="Findings"
      />
      <Part title="Its requests, heaviest first">
        <ul>
          {rows.slice(0, 12).map((r) => (
            <li key={r.id}>
              <button
                className="flex w-full justify-between gap-3 py-0.5 text-left hover:text-accent"
                onClick={() => select({ kind: 'request', id: r.id })}
              >
                <span className="truncate">
                  {r.name} <span className="text-ink-3">{KINDS[r.kind].tag}</span>
                </span>
                <span>{bytes(r.transferred_bytes)}</span>
              </button>
            </li>
          ))}
        </ul>
        {rows.length > 12 && <p className="text-ink-2">and {plural(rows.length - 12, 'more', 'more')}</p>}
      </Part>
    </>
  );
}
