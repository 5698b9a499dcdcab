import { Link } from 'react-router';
import { useHeaders, useVisits } from '../../api/queries';
import type { RequestRow } from '../../api/types';
import { bytes, ms, OUTCOMES, plural } from '../../parts/format';
import { useParam } from '../../parts/useParam';
import { AnswerDialog } from '../AnswerDialog';
import type { Reading } from '../reading';
import { chainOf, initiatorWords } from './chain';
import { Address, FindingList, OwnerLink, Part, PlanButton, Rows, Title } from './parts';

/** A request: its time, its weight, its answer, who asked for it and what it led to. */
export function RequestNote({ row, reading }: { row: RequestRow; reading: Reading }) {
  const { load, select } = reading;
  const cited = load.findings.filter((f) => f.request === row.id || f.evidence.some((e) => e.request === row.id));
  const total = load.metrics.transferred_bytes;
  const chain = chainOf(load.requests, row);
  const led = load.requests.filter((r) => r.asked_by === row.id);
  const headers = useHeaders(reading.recording.id, reading.number, row.id);
  const [open, setOpen] = useParam('answer');
  const { verdict, why } = useVerdict(reading, row);
  const between = (a: number | null, b: number | null) =>
    a === null || b === null ? 'not known' : ms(Math.max(0, b - a));
  const header = (name: string) =>
    headers.data
      ? (headers.data.response.find((h) => h.name.toLowerCase() === name)?.value ?? 'none')
      : headers.error
        ? 'not known'
        : '…';
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
            ['content-encoding', header('content-encoding')],
            ['cache-control', header('cache-control')],
            ['connection', row.connection ?? 'not known'],
            ['owner', <OwnerLink key="o" owner={row.owner} select={select} />],
          ]}
        />
      </Part>
      {verdict && (
        <Part title="On the return visit">
          <p>
            <strong>{OUTCOMES[verdict.outcome]}</strong>
            {verdict.again_bytes !== null && `, ${bytes(verdict.again_bytes)}`}. {why}
          </p>
          {verdict.header && (
            <p className="mt-1 font-mono text-[12px] text-ink-2 [overflow-wrap:anywhere]">{verdict.header}</p>
          )}
        </Part>
      )}
      <FindingList findings={cited} reading={reading} title="Findings that cite it" />
      {cited[0] && <PlanButton finding={cited[0]} reading={reading} />}
      <Part title="Chain">
        {row.end_ms !== null && (
          <Link
            className="mb-1 block text-accent hover:underline"
            to={`/recordings/${reading.recording.id}/path?load=${reading.number}&to=request:${row.id}&sel=request:${row.id}`}
          >
            Follow the path to its last byte
          </Link>
        )}
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

/** How a request fared on the return visit, where there was one. */
function useVerdict({ recording, number, pair }: Reading, row: RequestRow) {
  const visits = useVisits(recording.id, pair?.first, pair?.again);
  const isFirst = number === pair?.first;
  const at = visits.data && pair ? visits.data.rows.findIndex((v) => (isFirst ? v.first : v.again) === row.id) : -1;
  return { verdict: visits.data?.rows[at], why: visits.data?.whys[at] };
}
