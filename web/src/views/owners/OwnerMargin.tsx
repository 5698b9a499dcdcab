import { Link } from 'react-router';
import { usePlanAbout } from '../../api/plan';
import { usePlan, usePlanChanges } from '../../api/queries';
import type { Edit, NotedOwner, OwnerGain, OwnerNote, OwnersView } from '../../api/types';
import { inShort } from '../../parts/forecast';
import { bytes, ms, plural, whole } from '../../parts/format';
import { ownerKey } from '../../parts/names';
import { useParam } from '../../parts/useParam';
import { Part, Rows, Title } from '../../shell/margin/parts';
import { useNotice } from '../../shell/notices';
import { NO_NOTE } from '../../parts/needs';
import { OwnerFields } from '../../parts/OwnerFields';
import type { Account } from './account';

/** An owner: its account page by page, what is known of it, and others of its purpose. */
export function OwnerMargin(props: {
  site: string;
  view: OwnersView;
  places: number[];
  chosen: Account;
  accounts: Account[];
  gains: OwnerGain | undefined;
  notes: NotedOwner[];
}) {
  const { site, view, places, chosen, accounts, gains, notes } = props;
  const noteOf = (a: Account) => notes.find((n) => ownerKey(n.owner) === a.key)?.note ?? NO_NOTE;
  const note = noteOf(chosen);
  const purposesOf = (a: Account) => {
    const own = noteOf(a).purposes;
    return own.length ? own : a.suggested.slice(0, 1);
  };
  const purposes = purposesOf(chosen);
  const same = accounts.filter((a) => a.key !== chosen.key && purposesOf(a).some((p) => purposes.includes(p)));
  const row = view.rows.find((r) => ownerKey(r.owner) === chosen.key);
  const away = chosen.owner.kind === 'plugin' || chosen.owner.kind === 'third_party';
  return (
    <>
      <Title>{chosen.owner.name}</Title>
      <p className="mt-1 text-[13px] text-ink-2">
        {chosen.owner.kind.replace('_', ' ')}
        {purposes.length > 0 && `, for ${purposes.join(', ')}${note.purposes.length ? '' : ' by its name'}`}
      </p>
      <Part title="Page by page">
        {places.map((place) => {
          const [page, costs] = [view.pages[place], row?.on[place]];
          if (!page) return null;
          const brings = gains?.on[place];
          return (
            <div key={place} className="border-b border-rule py-1.5">
              <p className="flex justify-between gap-2">
                <Link
                  className="hover:text-accent"
                  to={`/recordings/${page.recording}/requests?sel=${encodeURIComponent(`owner:${chosen.key}`)}`}
                >
                  {page.page}, {page.conditions || 'imported'}
                </Link>
                <span className="whitespace-nowrap">{brings ? inShort(brings) : ''}</span>
              </p>
              <p className="text-[12.5px] text-ink-2">
                {costs
                  ? [
                      costs.requests > 0 && plural(costs.requests, 'request'),
                      costs.transferred_bytes > 0 && bytes(costs.transferred_bytes),
                      (costs.main_thread_ms ?? 0) >= 0.5 && `${ms(costs.main_thread_ms)} of main thread`,
                      (costs.server_ms ?? 0) >= 0.05 &&
                        `${(costs.server_ms ?? 0) < 1 ? '< 1 ms' : ms(costs.server_ms)} on the server`,
                      costs.queries !== null && costs.queries > 0 && plural(costs.queries, 'query', 'queries'),
                    ]
                      .filter(Boolean)
                      .join(', ') || 'next to nothing'
                  : 'has no part in it'}
              </p>
            </div>
          );
        })}
        {chosen.idle > 0 && (
          <p className="mt-2">
            On {plural(chosen.idle, 'page')} next to none of its code was used: it could be loaded elsewhere alone.
          </p>
        )}
      </Part>
      {away && <Without site={site} chosen={chosen} view={view} places={places} gains={gains} />}
      <Known site={site} chosen={chosen} note={note} />
      {same.length > 0 && <SamePurpose chosen={chosen} same={same} purposes={purposes} />}
    </>
  );
}

/** Puts doing without it into the plan. */
function Without(props: {
  site: string;
  chosen: Account;
  view: OwnersView;
  places: number[];
  gains: OwnerGain | undefined;
}) {
  const { site, chosen, view, places, gains } = props;
  const plan = usePlan(site);
  const changes = usePlanChanges(site);
  const say = useNotice();
  const at = places.find((p) => gains?.on[p]) ?? places[0];
  const page = at === undefined ? undefined : view.pages[at];
  const onServerAlone = chosen.requests === 0;
  const edit: Edit = onServerAlone
    ? { kind: 'server_remove', owner: chosen.owner }
    : { kind: 'remove_owner', owner: chosen.owner };
  const key = `${edit.kind} ${chosen.key}`;
  const planned = plan.data?.fixes.some((f) => f.fix.key === key) ?? false;
  return (
    <Part title="Doing without it">
      <p className="text-ink-2">
        {gains
          ? 'What each page would gain by forecast stands beside it: without its files, its scripts, and its work on the server.'
          : 'What that would bring is being computed, or not known.'}
      </p>
      <button
        className="btn btn-accent mt-2"
        disabled={planned || !page}
        onClick={() =>
          page &&
          changes.add.mutate(
            {
              edit,
              owner: chosen.owner,
              on_path_ms: chosen.path ?? 0,
              finding_key: `owner ${chosen.key}`,
              finding_title: `${chosen.owner.name}: ${bytes(Math.round(chosen.weight))}, ${ms(chosen.server ?? 0)} on the server a page`,
              recording: page.recording,
              load: page.load,
            },
            {
              onSuccess: (made) =>
                say({
                  text: `In the plan: doing without ${chosen.owner.name}.`,
                  undo: () => changes.remove.mutate(made.id),
                }),
              onError: (error) => say({ text: error.message, bad: true }),
            },
          )
        }
      >
        {planned ? 'In the plan' : 'Add to the plan'}
      </button>
    </Part>
  );
}

/** What is known of it: this shapes effort and risk of fixes that touch it. */
function Known({ site, chosen, note }: { site: string; chosen: Account; note: OwnerNote }) {
  const { owner } = usePlanAbout(site);
  const set = (to: Partial<OwnerNote>) => owner.mutate({ owner: chosen.owner, note: { ...note, ...to } });
  return (
    <Part title="What is known of it">
      <OwnerFields note={note} set={set} />
      <label className="mt-1 block">
        <span className="label">Under your control?</span>
        <select
          className="field"
          value={note.ours === null ? '' : String(note.ours)}
          onChange={(e) => set({ ours: e.target.value === '' ? null : e.target.value === 'true' })}
        >
          <option value="">not said</option>
          <option value="true">yes</option>
          <option value="false">no, somebody else’s</option>
        </select>
      </label>
      <Text
        label="What it is for (commas between)"
        value={note.purposes.join(', ') || chosen.suggested.join(', ')}
        set={(text) => {
          const purposes = text
            .split(',')
            .map((p) => p.trim())
            .filter(Boolean);
          set({ purposes });
        }}
      />
      <Text label="Who decides" value={note.decides} set={(decides) => set({ decides })} />
      <Text label="Note" value={note.note} set={(text) => set({ note: text })} />
    </Part>
  );
}

function Text({ label, value, set }: { label: string; value: string; set: (text: string) => void }) {
  return (
    <label className="mt-1 block">
      <span className="label">{label}</span>
      <input
        key={value}
        className="field"
        defaultValue={value}
        onBlur={(e) => e.target.value !== value && set(e.target.value)}
        onKeyDown={(e) => e.key === 'Enter' && e.currentTarget.blur()}
      />
    </label>
  );
}

/** Owners of one purpose, side by side: one of them may be too many. */
function SamePurpose({ chosen, same, purposes }: { chosen: Account; same: Account[]; purposes: string[] }) {
  const [, pick] = useParam('owner');
  return (
    <Part title={`Also for ${purposes.join(', ')}`}>
      {same.map((other) => (
        <div key={other.key} className="mb-3">
          <button className="text-accent" onClick={() => pick(other.key)}>
            {other.owner.name}
          </button>
          <table className="mt-1 w-full text-[12.5px]">
            <thead>
              <tr className="border-b border-rule">
                <th>
                  <span className="sr-only">Figure</span>
                </th>
                <th className="max-w-[90px] truncate text-right">{chosen.owner.name}</th>
                <th className="max-w-[90px] truncate pl-2 text-right">{other.owner.name}</th>
              </tr>
            </thead>
            <tbody>
              {SIDES.map(([name, of]) => (
                <tr key={name}>
                  <td className="text-ink-2">{name}</td>
                  <td className="text-right">{of(chosen)}</td>
                  <td className="pl-2 text-right">{of(other)}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      ))}
      <Rows rows={[['Both are on', plural(Math.min(chosen.pages, ...same.map((a) => a.pages)), 'page')]]} />
    </Part>
  );
}

const SIDES: [string, (a: Account) => string][] = [
  ['pages', (a) => whole(a.pages)],
  ['weight', (a) => bytes(Math.round(a.weight))],
  ['main thread', (a) => ms(a.thread)],
  ['server', (a) => ms(a.server)],
  ['queries', (a) => (a.queries === null ? '–' : whole(Math.round(a.queries)))],
  ['unused', (a) => (a.unused === null ? '–' : `${Math.round(a.unused * 100)} %`)],
];
