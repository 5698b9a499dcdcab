import { Link, useLocation } from 'react-router';
import { ms } from '../../parts/format';
import type { Reading } from '../reading';
import { FindingList, Part, Rows, Title } from './parts';

/** The largest element, and what it waited for longest. */
export function LargestNote({ reading }: { reading: Reading }) {
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
