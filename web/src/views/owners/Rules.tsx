import { ArrowDown, ArrowUp, Plus } from 'lucide-react';
import { useEffect, useMemo, useState } from 'react';
import { useOwnerRules, useSetOwnerRules, useTriedRules } from '../../api/server';
import type { OwnerKind, OwnerRule, RuleMatches, RuleOn } from '../../api/types';
import { DropButton } from '../../parts/DropButton';
import { plural } from '../../parts/format';
import { useNotice } from '../../shell/notices';

const ON: Record<RuleOn, string> = {
  address: 'an address has',
  query: 'a query has',
  function: 'a span or function has',
};

const OWNER_KINDS: Partial<Record<OwnerKind, string>> = {
  plugin: 'plugin',
  theme: 'theme',
  third_party: 'third party',
  site: 'site',
};

const NEW: OwnerRule = { pattern: '', on: 'address', owner: { name: '', kind: 'plugin' } };

const usable = (rule: OwnerRule) => rule.pattern.trim() !== '' && rule.owner.name.trim() !== '';

/** The site's own rules of what is whose, tried on what was recorded while they are written. */
export function Rules({ site }: { site: string }) {
  const kept = useOwnerRules(site);
  const [rules, setRules] = useState<OwnerRule[] | null>(null);
  const save = useSetOwnerRules(site);
  const say = useNotice();
  const shown = rules ?? kept.data ?? [];
  const whole = useMemo(() => (rules ?? kept.data ?? []).filter(usable), [rules, kept.data]);
  const [asked, setAsked] = useState(whole);
  // Not at every letter.
  useEffect(() => {
    const timer = setTimeout(() => setAsked(whole), 250);
    return () => clearTimeout(timer);
  }, [whole]);
  const tried = useTriedRules(site, asked);
  const change = (at: number, to: Partial<OwnerRule>) =>
    setRules(shown.map((rule, i) => (i === at ? { ...rule, ...to } : rule)));
  const move = (at: number, by: number) => {
    const next = [...shown];
    const [rule] = next.splice(at, 1);
    if (rule) next.splice(at + by, 0, rule);
    setRules(next);
  };
  const dirty = rules !== null && JSON.stringify(rules) !== JSON.stringify(kept.data);
  const store = () =>
    save.mutate(whole, {
      onSuccess: () => {
        setRules(null);
        say({ text: 'The rules are kept; everything is being read anew with them.' });
      },
      onError: (error) => say({ text: error.message, bad: true }),
    });
  return (
    <section className="mt-8" aria-label="Rules">
      <h2 className="text-[18px]">What is whose</h2>
      <p className="max-w-[720px] text-[13px] text-ink-2">
        The first rule that fits decides. What no rule fits goes by the server’s word, by folders that content systems
        share, and by the host. Everything is read anew with other rules, but recordings whose traces were dropped:
        those stay as they were read.
      </p>
      <ol className="mt-2">
        {shown.map((rule, i) => (
          <li key={i} className="border-t border-rule py-2">
            <span className="flex flex-wrap items-center gap-2 text-[13px]">
              <span className="w-5 text-right text-ink-2">{i + 1}</span>
              where
              <select
                aria-label={`Rule ${i + 1}: where to look`}
                className="rounded border border-rule-strong bg-sheet px-1 py-0.5"
                value={rule.on}
                onChange={(e) => change(i, { on: e.target.value as RuleOn })}
              >
                {Object.entries(ON).map(([on, words]) => (
                  <option key={on} value={on}>
                    {words}
                  </option>
                ))}
              </select>
              <input
                aria-label={`Rule ${i + 1}: pattern`}
                className="field !w-[220px] font-mono text-[12.5px]"
                placeholder="/widgets/"
                value={rule.pattern}
                onChange={(e) => change(i, { pattern: e.target.value })}
              />
              it is the
              <select
                aria-label={`Rule ${i + 1}: kind of owner`}
                className="rounded border border-rule-strong bg-sheet px-1 py-0.5"
                value={rule.owner.kind}
                onChange={(e) => change(i, { owner: { ...rule.owner, kind: e.target.value as OwnerKind } })}
              >
                {Object.entries(OWNER_KINDS).map(([kind, words]) => (
                  <option key={kind} value={kind}>
                    {words}
                  </option>
                ))}
              </select>
              <input
                aria-label={`Rule ${i + 1}: owner`}
                className="field !w-[150px]"
                placeholder="name"
                value={rule.owner.name}
                onChange={(e) => change(i, { owner: { ...rule.owner, name: e.target.value } })}
              />
              <button
                className="btn btn-quiet !px-1.5"
                aria-label={`Rule ${i + 1} up`}
                disabled={i === 0}
                onClick={() => move(i, -1)}
              >
                <ArrowUp size={14} aria-hidden />
              </button>
              <button
                className="btn btn-quiet !px-1.5"
                aria-label={`Rule ${i + 1} down`}
                disabled={i === shown.length - 1}
                onClick={() => move(i, 1)}
              >
                <ArrowDown size={14} aria-hidden />
              </button>
              <DropButton label={`Take rule ${i + 1} away`} drop={() => setRules(shown.filter((_, n) => n !== i))} />
            </span>
            <Fits found={usable(rule) ? tried.data?.[whole.indexOf(rule)] : undefined} rule={rule} />
          </li>
        ))}
      </ol>
      <p className="mt-2 flex flex-wrap items-center gap-2">
        <button className="btn" onClick={() => setRules([...shown, NEW])}>
          <Plus size={14} aria-hidden /> a rule
        </button>
        {dirty && (
          <>
            <button className="btn btn-accent" disabled={save.isPending || whole.length < shown.length} onClick={store}>
              Keep the rules
            </button>
            <button className="btn" onClick={() => setRules(null)}>
              as they were
            </button>
            {whole.length < shown.length && (
              <span className="text-[13px] text-ink-2">A rule needs a pattern and a name.</span>
            )}
          </>
        )}
      </p>
    </section>
  );
}

/** What a rule is the first to fit, and whose that is now. */
function Fits({ found, rule }: { found: RuleMatches | undefined; rule: OwnerRule }) {
  if (!usable(rule)) return null;
  if (!found) return <p className="ml-7 text-[12.5px] text-ink-2">…</p>;
  if (!found.count) {
    return (
      <p className="ml-7 text-[12.5px] text-ink-2">fits nothing that was recorded, or a rule above fits it first</p>
    );
  }
  return (
    <details className="ml-7 text-[12.5px]">
      <summary className="cursor-pointer text-ink-2">
        fits {plural(found.count, 'thing')}, such as {found.some[0]?.text.slice(0, 80)}
      </summary>
      <ul className="mt-1">
        {found.some.map((match) => (
          <li key={match.text} className="flex gap-3 py-px">
            <span className="font-mono text-[12px] [overflow-wrap:anywhere]">{match.text}</span>
            <span className="ml-auto whitespace-nowrap text-ink-2">now {match.now.name}</span>
          </li>
        ))}
      </ul>
    </details>
  );
}
