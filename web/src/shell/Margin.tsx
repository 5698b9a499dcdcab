import { Link, useLocation } from 'react-router';
import type { Finding, Leg, LongTask, OwnerAccount, RequestRow } from '../api/types';
import { useVisits } from '../api/queries';
import { bytes, CAUSES, EFFORT, KINDS, ms, OUTCOMES, plural, RISK, STANDING, WORK, WORK_ORDER } from '../parts/format';
import { useParam } from '../parts/useParam';
import { AnswerDialog } from './AnswerDialog';
import { shortName } from '../parts/names';
import type { Reading } from './RecordingFrame';

/** Explains whatever is selected; without a selection, the largest element. */
export function Margin({ reading }: { reading: Reading }) {
  const { load, selection } = reading;
  switch (selection?.kind) {
    case 'request': {
      const row = load.requests.find((r) => r.id === selection.id);
      return row ? <RequestNote row={row} reading={reading} /> : <Gone />;
    }
    case 'leg': {
      const leg = load.lcp?.path[selection.index];
      return leg ? <LegNote leg={leg} reading={reading} /> : <Gone />;
    }
    case 'finding': {
      const finding = load.findings.find((f) => f.key === selection.key);
      return finding ? <FindingNote finding={finding} reading={reading} /> : <Gone />;
    }
    case 'task': {
      const task = load.main_thread?.long_tasks[selection.index];
      return task ? <TaskNote task={task} reading={reading} /> : <Gone />;
    }
    case 'script':
      return <ScriptNote url={selection.url} reading={reading} />;
    case 'owner': {
      const owner = load.owners.find((o) => o.name === selection.name);
      return owner ? <OwnerNote owner={owner} reading={reading} /> : <Gone />;
    }
    default:
      return <LargestNote reading={reading} />;
  }
}

function Gone() {
  return <p className="text-ink-2">What this address selects is not in this load.</p>;
}

function Title({ children }: { children: React.ReactNode }) {
  return <h2 className="text-[19px] leading-tight [overflow-wrap:anywhere]">{children}</h2>;
}

function Part({ title, children }: { title?: string; children: React.ReactNode }) {
  return (
    <section className="mt-4 border-t border-rule-strong pt-3 text-[13px]">
      {title && <h3 className="subhead mb-1">{title}</h3>}
      {children}
    </section>
  );
}

function Rows({ rows }: { rows: [string, React.ReactNode][] }) {
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

function Address({ url }: { url: string }) {
  return (
    <p className="mt-1 max-h-24 overflow-y-auto font-mono text-[12px] leading-snug text-ink-2 [overflow-wrap:anywhere]">
      {url}
    </p>
  );
}

function PlanButton({ finding, reading }: { finding: Finding; reading: Reading }) {
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
      </button>
    </div>
  );
}

function FindingList({ findings, reading, title }: { findings: Finding[]; reading: Reading; title: string }) {
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

function LargestNote({ reading }: { reading: Reading }) {
  const { load } = reading;
  const { search } = useLocation();
  const base = `/recordings/${reading.recording.id}`;
  const { lcp } = load;
  if (!lcp) {
    return (
      <>
        <Title>The largest element is not known</Title>
        {load.missing
          .filter((m) => m.subject === 'paints')
          .map((m) => (
            <p key={m.why} className="mt-2 text-[13px] text-ink-2">
              {m.why}
            </p>
          ))}
        <FindingList findings={load.findings.slice(0, 6)} reading={reading} title="First findings" />
      </>
    );
  }
  const longest = [...lcp.path].sort((a, b) => b.to_ms - b.from_ms - (a.to_ms - a.from_ms)).slice(0, 3);
  const viewport = load.conditions;
  const share = viewport && lcp.size ? (lcp.size / (viewport.width * viewport.height)) * 100 : null;
  return (
    <>
      <Title>The largest element</Title>
      <p className="mt-2 font-mono text-[12.5px] [overflow-wrap:anywhere]">
        {lcp.selector ?? lcp.tag ?? 'not resolved'}
      </p>
      {lcp.snippet && (
        <p className="mt-1 line-clamp-4 font-mono text-[12px] leading-snug text-ink-2 [overflow-wrap:anywhere]">
          {lcp.snippet}
        </p>
      )}
      <div className="mt-2 text-[13px]">
        <Rows
          rows={[
            ['painted at', ms(load.metrics.lcp_ms)],
            ...(lcp.rect
              ? [['its box', `${Math.round(lcp.rect.width)} × ${Math.round(lcp.rect.height)}`] as [string, string]]
              : []),
            ...(share !== null ? [['of the screen', `${share.toFixed(0)} %`] as [string, string]] : []),
            ['owner', lcp.owner.name],
          ]}
        />
        {lcp.url && lcp.request !== null && (
          <button
            className="mt-1 text-left font-mono text-[12px] text-accent [overflow-wrap:anywhere]"
            onClick={() => reading.select({ kind: 'request', id: lcp.request as number })}
          >
            {lcp.url}
          </button>
        )}
      </div>
      <Part title="What it waited for longest">
        <ul>
          {longest.map((leg) => (
            <li key={leg.from_ms} className="py-0.5">
              <button
                className="text-left hover:text-accent"
                onClick={() => reading.select({ kind: 'leg', index: lcp.path.indexOf(leg) })}
              >
                <strong>{ms(leg.to_ms - leg.from_ms)}</strong> {leg.title}
              </button>
            </li>
          ))}
        </ul>
        <Link className="btn btn-accent mt-3" to={`${base}/path${search}`}>
          Follow the path <span className="key">2</span>
        </Link>
      </Part>
      <FindingList findings={load.findings.slice(0, 5)} reading={reading} title="First findings" />
    </>
  );
}

function RequestNote({ row, reading }: { row: RequestRow; reading: Reading }) {
  const { load, select } = reading;
  const cited = load.findings.filter((f) => f.request === row.id || f.evidence.some((e) => e.request === row.id));
  const total = load.metrics.transferred_bytes;
  const chain = chainOf(load.requests, row);
  const led = load.requests.filter((r) => r.id !== row.id && asker(load.requests, r)?.id === row.id);
  const [open, setOpen] = useParam('answer');
  const verdict = useVerdict(reading, row);
  const between = (a: number | null, b: number | null) =>
    a === null || b === null ? 'not known' : ms(Math.max(0, b - a));
  const header = (name: string) => row.response_headers.find((h) => h.name.toLowerCase() === name)?.value;
  const phases: [string, React.ReactNode][] = [
    ['asked for at', ms(row.start_ms)],
    ['queued', between(row.start_ms, row.connect_start_ms ?? row.sent_ms)],
    ...(row.connect_start_ms !== null
      ? [['connecting', between(row.connect_start_ms, row.connect_end_ms)] as [string, string]]
      : []),
    ['waiting', between(row.sent_ms, row.first_byte_ms)],
    ['receiving', between(row.first_byte_ms, row.end_ms)],
    ['last byte at', row.end_ms === null ? 'never seen' : ms(row.end_ms)],
  ];
  return (
    <>
      <Title>{row.name}</Title>
      <Address url={row.url} />
      <button className="btn mt-2" onClick={() => setOpen('1')}>
        Headers and body
      </button>
      {open && (
        <AnswerDialog recording={reading.recording.id} load={reading.number} row={row} onClose={() => setOpen('')} />
      )}
      <p className="mt-2 text-[13px]">
        {row.id === load.lcp?.request && 'The largest paint of this load. '}
        {initiatorWords(row)}
        {row.inserted &&
          ` It lies with the site's own files and counts for ${row.owner.name}, whose script asked for it.`}
        {row.failed && <span className="text-past"> It failed: {row.failed}.</span>}
      </p>
      <Part title="Its time">
        <Rows rows={phases} />
        {row.render_blocking === 'blocking' && (
          <p className="mt-1">
            <strong>Holds up rendering</strong> until {ms(row.released_ms)}.
          </p>
        )}
        {row.render_blocking === 'in_body_parser_blocking' && (
          <p className="mt-1">Stops the parser where it stands in the body.</p>
        )}
      </Part>
      <Part title="Weight">
        <Rows
          rows={[
            ['transferred', bytes(row.transferred_bytes)],
            ['unpacked', bytes(row.unpacked_bytes)],
            ...(total && row.transferred_bytes !== null
              ? [['of the page', `${((row.transferred_bytes / total) * 100).toFixed(1)} %`] as [string, string]]
              : []),
            ...(row.picture
              ? [['its own size', `${row.picture.width} × ${row.picture.height}`] as [string, string]]
              : []),
            ...(row.picture
              ? [
                  [
                    'shown at',
                    row.picture.shown_width
                      ? `${Math.round(row.picture.shown_width)} × ${Math.round(row.picture.shown_height)}`
                      : 'not shown',
                  ] as [string, string],
                ]
              : []),
          ]}
        />
      </Part>
      <Part title="Answer">
        <Rows
          rows={[
            ['status', row.status ?? 'none'],
            ['protocol', row.protocol ?? 'not known'],
            [
              'priority',
              row.final_priority && row.final_priority !== row.priority
                ? `${row.priority}, then ${row.final_priority}`
                : (row.priority ?? 'not known'),
            ],
            ['came from', row.cache ? `cache (${row.cache})` : 'network'],
            ['content-encoding', header('content-encoding') ?? 'none'],
            ['cache-control', header('cache-control') ?? 'none'],
            ['connection', row.connection ?? 'not known'],
            ['owner', <OwnerLink key="o" name={row.owner.name} select={select} />],
          ]}
        />
      </Part>
      {verdict && (
        <Part title="On the return visit">
          <p>
            <strong>{OUTCOMES[verdict.outcome]}</strong>
            {verdict.again_bytes !== null && `, ${bytes(verdict.again_bytes)}`}. {verdict.why}
          </p>
          {verdict.header && (
            <p className="mt-1 font-mono text-[12px] text-ink-2 [overflow-wrap:anywhere]">{verdict.header}</p>
          )}
        </Part>
      )}
      <FindingList findings={cited} reading={reading} title="Findings that cite it" />
      {cited[0] && <PlanButton finding={cited[0]} reading={reading} />}
      <Part title="Chain">
        <p className="font-mono text-[12px] leading-relaxed">
          {chain.map((r, i) => (
            <span key={r.id}>
              {i > 0 && ' → '}
              <button className="text-left hover:text-accent" onClick={() => select({ kind: 'request', id: r.id })}>
                {r.name}
              </button>
            </span>
          ))}
        </p>
        {led.length > 0 && (
          <details className="mt-2" open={led.length <= 6}>
            <summary className="cursor-pointer text-ink-2">It led to {plural(led.length, 'request')}</summary>
            <ul>
              {led.slice(0, 60).map((r) => (
                <li key={r.id} className="flex justify-between gap-3 py-0.5">
                  <button
                    className="truncate text-left hover:text-accent"
                    onClick={() => select({ kind: 'request', id: r.id })}
                  >
                    {r.name}
                  </button>
                  <span className="shrink-0 text-ink-2">{ms(r.start_ms)}</span>
                </li>
              ))}
            </ul>
          </details>
        )}
      </Part>
    </>
  );
}

function initiatorWords(row: RequestRow): string {
  const by = row.initiator.url ? shortName(row.initiator.url) : null;
  switch (row.initiator.kind) {
    case 'parser':
      return row.initiator.line ? `Found in the document, line ${row.initiator.line}.` : 'Found in the document.';
    case 'script':
      return by ? `Asked for by ${by}.` : 'Asked for by a script.';
    case 'style':
      return by ? `Named in ${by}.` : 'Named in a stylesheet.';
    case 'preload':
      return 'Preloaded.';
    case 'redirect':
      return 'Reached by a redirect.';
    case 'navigation':
      return 'The navigation itself.';
    case 'unknown':
      return 'What asked for it is not known.';
  }
}

/** The request that asked for another: the hop before it, or the file that its initiator names. */
function asker(requests: RequestRow[], row: RequestRow): RequestRow | undefined {
  if (row.redirected_from !== null) return requests[row.redirected_from];
  const url = row.initiator.stack?.[0] ?? row.initiator.url;
  return url === null
    ? undefined
    : requests.find((r) => r.url === url && r.id !== row.id && r.start_ms <= row.start_ms);
}

/** From the document down to a request, by who asked for whom. */
function chainOf(requests: RequestRow[], row: RequestRow): RequestRow[] {
  const chain = [row];
  const seen = new Set([row.id]);
  for (let at = asker(requests, row); at && !seen.has(at.id); at = asker(requests, at)) {
    seen.add(at.id);
    chain.unshift(at);
  }
  return chain;
}

/** How a request fared on the return visit, where there was one. */
function useVerdict({ recording, number, pair }: Reading, row: RequestRow) {
  const visits = useVisits(recording.id, pair?.first, pair?.again);
  if (!pair) return undefined;
  const isFirst = number === pair.first;
  return visits.data?.rows.find((v) => (isFirst ? v.first : v.again) === row.id);
}

function OwnerLink({ name, select }: { name: string; select: Reading['select'] }) {
  return (
    <button className="text-accent" onClick={() => select({ kind: 'owner', name })}>
      {name}
    </button>
  );
}

function LegNote({ leg, reading }: { leg: Leg; reading: Reading }) {
  const { load, select } = reading;
  const row = load.requests.find((r) => r.id === leg.request);
  const findings = load.findings.filter((f) => f.request === leg.request && leg.request !== null);
  // Whatever came before the largest picture was asked for is shortened by asking for it earlier.
  const asked = load.requests.find((r) => r.id === load.lcp?.request)?.start_ms ?? 0;
  const first = load.metrics.ttfb_ms ?? 0;
  const late =
    leg.from_ms >= first - 1 && leg.to_ms <= asked + 1
      ? load.findings.find((f) => f.check === 'late-largest')
      : undefined;
  const wanted = findings.find((f) => leg.fixes.includes(f.fix.kind)) ?? findings[0] ?? late;
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
            ['owner', <OwnerLink key="o" name={leg.owner.name} select={select} />],
          ]}
        />
        {row && (
          <button className="btn mt-2" onClick={() => select({ kind: 'request', id: row.id })}>
            The request
          </button>
        )}
      </Part>
      {leg.cause === 'wait' && row?.kind === 'document' && load.server_timing.length > 0 && (
        <Part title="The server’s own account">
          <Rows
            rows={[...load.server_timing]
              .sort((a, b) => (b.duration_ms ?? 0) - (a.duration_ms ?? 0))
              .slice(0, 8)
              .map((t) => [t.name, t.duration_ms === null ? 'no duration' : ms(t.duration_ms)])}
          />
        </Part>
      )}
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

function FindingNote({ finding, reading }: { finding: Finding; reading: Reading }) {
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
      <Part title="The fix">
        <PlanButton finding={finding} reading={reading} />
      </Part>
      <Part title="Owner">
        <OwnerSentence name={finding.owner.name} reading={reading} />
      </Part>
    </>
  );
}

function OwnerSentence({ name, reading }: { name: string; reading: Reading }) {
  const owner = reading.load.owners.find((o) => o.name === name);
  if (!owner) return <p>{name}</p>;
  return (
    <p>
      <OwnerLink name={name} select={reading.select} /> ({owner.kind.replace('_', ' ')}):{' '}
      {plural(owner.requests, 'request')}, {bytes(owner.transferred_bytes)}
      {owner.main_thread_ms !== null && `, ${ms(owner.main_thread_ms)} of main thread`}
      {owner.path_ms ? `, ${ms(owner.path_ms)} of the path` : ''}.
    </p>
  );
}

function TaskNote({ task, reading }: { task: LongTask; reading: Reading }) {
  const findings = reading.load.findings.filter((f) => f.url === task.url && task.url !== null);
  return (
    <>
      <Title>{task.url ? `A long task of ${shortName(task.url)}` : 'A long task of the page itself'}</Title>
      {task.url && <Address url={task.url} />}
      <Part>
        <Rows
          rows={[
            ['starts at', ms(task.start_ms)],
            ['takes', ms(task.duration_ms)],
            ['adds to TBT', ms(task.blocking_ms)],
            ['mostly', WORK[task.kind].words],
          ]}
        />
      </Part>
      <Part title="Whose time it is">
        <Rows rows={task.shares.map(([owner, time]) => [owner.name, ms(time)])} />
      </Part>
      <FindingList findings={findings} reading={reading} title="Findings about it" />
      {findings[0] && <PlanButton finding={findings[0]} reading={reading} />}
    </>
  );
}

function ScriptNote({ url, reading }: { url: string; reading: Reading }) {
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
              ['owner', <OwnerLink key="o" name={script.owner.name} select={select} />],
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

function OwnerNote({ owner, reading }: { owner: OwnerAccount; reading: Reading }) {
  const { load, select } = reading;
  const rows = load.requests
    .filter((r) => r.owner.name === owner.name)
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
            ['of the path', owner.path_ms === null ? 'not known' : ms(owner.path_ms)],
          ]}
        />
      </Part>
      <FindingList
        findings={load.findings.filter((f) => f.owner.name === owner.name)}
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
