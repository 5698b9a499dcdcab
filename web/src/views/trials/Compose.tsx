import { X } from 'lucide-react';
import { lazy, type ReactNode, Suspense, useEffect, useState } from 'react';
import { useNavigate, useSearchParams } from 'react-router';
import { useAbout } from '../../api/queries';
import { useTrialChanges } from '../../api/trials';
import type { HandMade, OfferedEdit, RequestRow, TrialOffer } from '../../api/types';
import { EFFORT, ms, plural } from '../../parts/format';
import { useNotice } from '../../shell/notices';
import { useReading } from '../../shell/reading';
import { ByAddress } from './ByAddress';
import { shortName } from '../../parts/names';

const ByHand = lazy(() => import('./ByHand'));

/** What was chosen and not yet tried, by load: it is there again when one comes back. */
interface Draft {
  chosen: OfferedEdit[];
  byHand: HandMade[];
  loads: number;
  untilSure: boolean;
  returnVisits: boolean;
}
const drafts = new Map<string, Draft>();
const NEW: Draft = { chosen: [], byHand: [], loads: 5, untilSure: false, returnVisits: false };

/** Chooses what to try, and starts it. */
export function Compose({ offer }: { offer: TrialOffer }) {
  const { recording, load, number } = useReading();
  const [params] = useSearchParams();
  const about = useAbout();
  const changes = useTrialChanges(recording.id);
  const navigate = useNavigate();
  const say = useNotice();
  const wanted = params.getAll('try');
  const place = `${recording.id} ${number}`;
  const [draft, setDraft] = useState(drafts.get(place) ?? NEW);
  useEffect(() => {
    drafts.set(place, draft);
  }, [place, draft]);
  const { chosen, byHand, loads } = draft;
  const change = (part: Partial<Draft>) => setDraft({ ...draft, ...part });
  const [oneByOne, setOneByOne] = useState(params.has('each'));
  // What the address names is added to what was chosen before: the margin leads here while this is open.
  const [added, setAdded] = useState<string | null>(null);
  const named = wanted.join(' ');
  if (added !== named) {
    setAdded(named);
    const has = new Set(chosen.map((c) => c.fix.key));
    const more = offer.edits.filter((e) => wanted.includes(e.fix.key) && !has.has(e.fix.key) && e.problem === null);
    if (more.length) change({ chosen: [...chosen, ...more] });
  }
  const [preset, setPreset] = useState('home-laptop');
  const [editing, setEditing] = useState<RequestRow | null>(null);
  const refused = offer.edits.find((e) => wanted.includes(e.fix.key) && e.problem !== null);

  const has = (e: OfferedEdit) => chosen.some((c) => c.fix.key === e.fix.key);
  const toggle = (e: OfferedEdit) =>
    change({ chosen: has(e) ? chosen.filter((c) => c.fix.key !== e.fix.key) : [...chosen, e] });
  const count = chosen.length + byHand.length;
  const start = () =>
    changes.start.mutate(
      {
        load: number,
        edits: chosen.map((e) => e.fix.edit),
        by_hand: byHand,
        loads,
        one_by_one: oneByOne && count > 1,
        until_sure: draft.untilSure,
        return_visits: draft.returnVisits,
        ...(offer.conditions ? {} : { preset }),
      },
      {
        onSuccess: (begun) => {
          drafts.delete(place);
          setDraft(NEW);
          const [only] = begun;
          if (only && begun.length === 1) void navigate(`/recordings/${recording.id}/trials/${only.id}`);
          else say({ text: `${plural(begun.length, 'trial')} in line, one for each edit.` });
        },
        onError: (error) => say({ text: error.message, bad: true }),
      },
    );
  const files = load.requests.filter((r) => r.has_body && r.url.startsWith('http') && (r.status ?? 0) < 300);
  return (
    <section className="mt-4 max-w-[1000px]" aria-label="A new trial">
      {refused && (
        <p role="note" className="mb-3 border-l-4 border-past bg-paper px-3 py-2 text-[13px]">
          “{refused.fix.title}” cannot be tried. {refused.problem}
        </p>
      )}
      <div className="grid grid-cols-[minmax(0,1fr)_230px] gap-8">
        <div className="min-w-0">
          <h2 className="text-[18px]">What to try</h2>
          {offer.edits.length === 0 ? (
            <p className="text-[13px] text-ink-2">No finding of this load calls for a fix; name one below.</p>
          ) : (
            <ul
              className="mt-1 max-h-[330px] overflow-y-auto border-y border-rule"
              aria-label="Fixes that findings call for"
            >
              {offer.edits.map((e) => (
                <li key={e.fix.key} className="border-b border-rule last:border-0">
                  <label className={`flex items-start gap-2 px-1 py-1.5 text-[13px] ${e.problem ? 'text-ink-2' : ''}`}>
                    <input
                      type="checkbox"
                      className="mt-1"
                      checked={has(e)}
                      disabled={e.problem !== null}
                      onChange={() => toggle(e)}
                    />
                    <span className="min-w-0 flex-1 [overflow-wrap:anywhere]">
                      {e.fix.title}
                      {e.problem && <span className="block text-[12px]">Cannot be tried: {e.problem}</span>}
                    </span>
                    <span className="shrink-0 text-right">
                      {e.on_path_ms > 0 ? ms(e.on_path_ms) : <span className="text-ink-2">off the path</span>}
                      <span className="block text-[12px] text-ink-2">{EFFORT[e.fix.effort]}</span>
                    </span>
                  </label>
                </li>
              ))}
            </ul>
          )}
          <ByAddress onChosen={(e) => !has(e) && change({ chosen: [...chosen, e] })} />
          <label className="mt-3 flex items-center gap-2 text-[13px]">
            <span className="w-[118px] shrink-0 text-ink-2">Edit a file by hand</span>
            <select
              className="min-w-0 flex-1 rounded border border-rule-strong bg-sheet px-1.5 py-1"
              value=""
              onChange={(e) => setEditing(files.find((r) => String(r.id) === e.target.value) ?? null)}
            >
              <option value="">choose a file …</option>
              {files.map((r) => (
                <option key={r.id} value={r.id}>
                  {r.name} ({r.host})
                </option>
              ))}
            </select>
          </label>
        </div>
        <div>
          <h2 className="text-[18px]">{count ? plural(count, 'edit') : 'Nothing chosen yet'}</h2>
          <ul className="mt-1 max-h-[220px] overflow-y-auto text-[13px]" aria-label="Chosen edits">
            {chosen.map((e) => (
              <Chosen key={e.fix.key} words={e.fix.title} onRemove={() => toggle(e)} />
            ))}
            {byHand.map((h) => (
              <Chosen
                key={h.url}
                words={`${shortName(h.url)}, by hand`}
                onRemove={() => change({ byHand: byHand.filter((other) => other.url !== h.url) })}
              />
            ))}
          </ul>
          {!offer.conditions && (
            <label className="mt-3 block text-[13px]">
              <span className="label">This file does not tell its conditions; load it as</span>
              <select className="field" value={preset} onChange={(e) => setPreset(e.target.value)}>
                {about.data?.presets.map((p) => (
                  <option key={p.id} value={p.id}>
                    {p.conditions.name}
                  </option>
                ))}
              </select>
            </label>
          )}
          <label className="mt-3 flex items-center gap-2 text-[13px]">
            Loads of each
            <input
              type="number"
              min={1}
              max={20}
              className="field !w-[70px]"
              value={loads}
              onChange={(e) => change({ loads: Math.max(1, Math.min(20, Number(e.target.value) || 1)) })}
            />
          </label>
          <p className="mt-1 text-[12px] text-ink-2">
            {loads < 4 && !draft.untilSure
              ? 'Fewer than four can never tell a difference from noise.'
              : 'So many without the edits and so many with them.'}
          </p>
          <Choice on={draft.untilSure} onChange={(untilSure) => change({ untilSure })}>
            More of each until the verdicts stand, at most 20
          </Choice>
          <Choice on={draft.returnVisits} onChange={(returnVisits) => change({ returnVisits })}>
            Each followed by a return visit
          </Choice>
          {count > 1 && (
            <Choice on={oneByOne} onChange={setOneByOne}>
              Each edit alone, in {plural(count, 'trial')}
            </Choice>
          )}
          <button
            className="btn btn-main mt-3"
            disabled={!count || changes.start.isPending || Boolean(about.data?.browser_problem)}
            onClick={start}
          >
            {oneByOne && count > 1 ? 'Try each' : 'Try it'}
          </button>
          {about.data?.browser_problem && <p className="mt-2 text-[12.5px] text-past">{about.data.browser_problem}</p>}
        </div>
      </div>
      {offer.not_replayed.map((line) => (
        <p key={line} className="mt-2 text-[13px] text-ink-2">
          {line}
        </p>
      ))}
      {editing && (
        <Suspense>
          <ByHand
            row={editing}
            before={byHand.find((h) => h.url === editing.url)}
            onClose={() => setEditing(null)}
            onKeep={(made) => {
              change({ byHand: [...byHand.filter((h) => h.url !== made.url), made] });
              setEditing(null);
            }}
          />
        </Suspense>
      )}
    </section>
  );
}

function Choice(props: { on: boolean; onChange: (on: boolean) => void; children: ReactNode }) {
  return (
    <label className="mt-1 flex items-start gap-2 text-[13px]">
      <input type="checkbox" className="mt-1" checked={props.on} onChange={(e) => props.onChange(e.target.checked)} />
      <span>{props.children}</span>
    </label>
  );
}

function Chosen({ words, onRemove }: { words: string; onRemove: () => void }) {
  return (
    <li className="flex items-start gap-1 border-t border-rule py-1">
      <span className="min-w-0 flex-1 [overflow-wrap:anywhere]">{words}</span>
      <button className="btn btn-quiet !p-0.5" aria-label={`Leave out: ${words}`} onClick={onRemove}>
        <X size={13} aria-hidden />
      </button>
    </li>
  );
}
