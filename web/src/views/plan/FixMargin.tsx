import { useEffect, useRef, useState } from 'react';
import { useBreaks, useOwnerNotes, usePlanAbout } from '../../api/plan';
import type { AboutFix, OwnerNote, PlannedFix, PlanPageRow, PlanStep, Risk } from '../../api/types';
import { Ask } from '../../parts/Ask';
import { BringsTable } from '../../parts/BringsTable';
import { metricText, RISK } from '../../parts/format';
import { NEEDS, NO_NOTE } from '../../parts/needs';
import { OwnerFields } from '../../parts/OwnerFields';
import { Part, Title } from '../../shell/margin/parts';

/** `2026-11-24T09:14` of the reader's own zone, as a field of the browser's has it. */
function local(iso: string): string {
  const at = new Date(iso);
  return Number.isNaN(at.getTime())
    ? ''
    : new Date(at.getTime() - at.getTimezoneOffset() * 60_000).toISOString().slice(0, 16);
}

/** What is known of a fix: what it brings after those above it, what it may break, and what the user says of it. */
export function FixMargin(props: {
  site: string;
  fix: PlannedFix;
  place: number;
  step: PlanStep | undefined;
  before: PlanStep | undefined;
  pages: PlanPageRow[];
  change: (about: AboutFix) => void;
}) {
  const { site, fix, step, before, pages } = props;
  const breaks = useBreaks(site, fix.fix.edit);
  return (
    <aside aria-label="Margin" className="min-h-0 overflow-y-auto border-l border-rule-strong bg-paper px-[18px] py-3">
      <Title>{fix.fix.title}</Title>
      <p className="mt-1 text-[13px] text-ink-2">{fix.finding_title}</p>
      <Part title={props.place > 0 ? 'Forecast, after the fixes above' : 'Forecast'}>
        {step && step.on.length > 0 ? (
          <>
            <BringsTable brings={step.brings} />
            <table className="mt-3 w-full text-[12.5px]" aria-label="Page by page">
              <thead>
                <tr>
                  <th>Largest paint of</th>
                  <th className="text-right">before</th>
                  <th className="pl-2 text-right">then</th>
                </tr>
              </thead>
              <tbody>
                {step.on.map((place) => {
                  const [page, was, is] = [pages[place], before?.pages[place]?.lcp_ms, step.pages[place]?.lcp_ms];
                  return (
                    page && (
                      <tr key={place}>
                        <td className="pr-2 [overflow-wrap:anywhere]">
                          {page.page}, {page.conditions || 'imported'}
                        </td>
                        <td className="text-right align-top">{was == null ? '–' : metricText('lcp', was)}</td>
                        <td className="pl-2 text-right align-top">{is == null ? '–' : metricText('lcp', is)}</td>
                      </tr>
                    )
                  );
                })}
              </tbody>
            </table>
          </>
        ) : (
          <p className="text-ink-2">
            {fix.state === 'done'
              ? 'It is made. What came of it stands below, under “Did they keep their word?”.'
              : step
                ? 'What it brings is not known on any page that counts: a trial tells.'
                : 'No page counts yet.'}
          </p>
        )}
      </Part>
      <Part title="What it may break">
        {breaks.data?.length ? (
          <ul className="list-disc pl-4">
            {breaks.data.map((line) => (
              <li key={line} className="[overflow-wrap:anywhere]">
                {line}
              </li>
            ))}
          </ul>
        ) : (
          <p className="text-ink-2">
            {breaks.isPending
              ? 'Being looked at …'
              : 'Nothing was seen on the pages that count. Look at them all the same.'}
          </p>
        )}
      </Part>
      <About key={fix.id} fix={fix} change={props.change} />
      {['plugin', 'theme', 'third_party'].includes(fix.owner.kind) && (
        <OfOwner key={fix.owner.name} site={site} fix={fix} />
      )}
    </aside>
  );
}

function About({ fix, change }: { fix: PlannedFix; change: (about: AboutFix) => void }) {
  const { about } = fix;
  // Two fields left one right after the other: the second does not take back what the first said.
  const latest = useRef(about);
  useEffect(() => {
    latest.current = about;
  }, [about]);
  const set = (to: Partial<AboutFix>) => {
    latest.current = { ...latest.current, ...to };
    change(latest.current);
  };
  return (
    <Part title="What you say of it">
      <div className="grid grid-cols-2 gap-2">
        <label>
          <span className="label">
            <Ask how="Points: a small thing is 1, medium 3, large 8, as a rule for this kind of fix. Yours stands before the rule.">
              Effort, points
            </Ask>
          </span>
          <input
            type="number"
            min={0.1}
            step="any"
            className="field"
            aria-label="Effort in points"
            key={fix.effort}
            defaultValue={fix.effort}
            onBlur={(e) => {
              const effort = Number(e.target.value);
              if (effort > 0 && effort !== fix.effort) set({ effort });
            }}
          />
        </label>
        <label>
          <span className="label">Risk</span>
          <select
            className="field"
            aria-label="Risk"
            value={fix.risk}
            onChange={(e) => set({ risk: e.target.value as Risk })}
          >
            {Object.entries(RISK).map(([value, words]) => (
              <option key={value} value={value}>
                {words}
              </option>
            ))}
          </select>
        </label>
      </div>
      {(about.effort !== null || about.risk !== null) && (
        <button className="btn btn-quiet !px-0 text-accent" onClick={() => set({ effort: null, risk: null })}>
          as usual for this kind of fix
        </button>
      )}
      {fix.because.map((line) => (
        <p key={line} className="mt-1 text-[12.5px] text-ink-2">
          {line}
        </p>
      ))}
      <label className="mt-2 block">
        <span className="label">Who does it</span>
        <input
          className="field"
          key={about.who}
          defaultValue={about.who}
          onBlur={(e) => e.target.value !== about.who && set({ who: e.target.value })}
        />
      </label>
      <label className="mt-2 block">
        <span className="label">Note</span>
        <textarea
          className="field"
          rows={2}
          key={about.note}
          defaultValue={about.note}
          onBlur={(e) => e.target.value !== about.note && set({ note: e.target.value })}
        />
      </label>
      {fix.state === 'done' && (
        <label className="mt-2 block">
          <span className="label">
            <Ask how="Recordings before this moment are without the fix, recordings after it have it. Set it back where you made the fix earlier than you said so here.">
              Made on the site
            </Ask>
          </span>
          <input
            type="datetime-local"
            className="field"
            key={about.done_at}
            defaultValue={about.done_at ? local(about.done_at) : ''}
            onBlur={(e) => {
              const at = new Date(e.target.value);
              if (!Number.isNaN(at.getTime()) && e.target.value !== (about.done_at ? local(about.done_at) : ''))
                set({ done_at: at.toISOString() });
            }}
          />
        </label>
      )}
    </Part>
  );
}

function OfOwner({ site, fix }: { site: string; fix: PlannedFix }) {
  const notes = useOwnerNotes(site);
  const { owner } = usePlanAbout(site);
  const [open, setOpen] = useState(false);
  if (!notes.data) return null;
  const known = notes.data.find((n) => n.owner.name === fix.owner.name && n.owner.kind === fix.owner.kind)?.note;
  const note: OwnerNote = known ?? NO_NOTE;
  const set = (to: Partial<OwnerNote>) => owner.mutate({ owner: fix.owner, note: { ...note, ...to } });
  return (
    <Part title={`What is known of ${fix.owner.name}`}>
      {!open && (
        <p>
          {NEEDS[note.need]}
          {note.holds_data && ', holds data'}
          {note.decides && `, ${note.decides} decides`}{' '}
          <button className="text-accent" onClick={() => setOpen(true)}>
            change
          </button>
        </p>
      )}
      {open && (
        <>
          <OwnerFields note={note} set={set} />
          <label className="mt-1 block">
            <span className="label">Who decides</span>
            <input
              className="field"
              defaultValue={note.decides}
              onBlur={(e) => e.target.value !== note.decides && set({ decides: e.target.value })}
            />
          </label>
        </>
      )}
    </Part>
  );
}
