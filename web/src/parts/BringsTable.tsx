import type { Brings } from '../api/types';
import { METRICS, metricText, signed } from './format';
import { UNPAINTED, changeOf, moves, tellsPaints } from './forecast';

const WITHIN =
  'Nine in ten measured changes lay within so much of the forecast ones, over the pages that forecasts were held against.';

/** What edits bring, metric by metric, with the interval of the change. */
export function BringsTable({ brings }: { brings: Brings[] }) {
  return (
    <table className="w-full text-[12.5px]" aria-label="What it brings, by forecast">
      {!tellsPaints(brings) && (
        <caption className="caption-bottom pt-1 text-left text-[11.5px] text-ink-2">
          {UNPAINTED.replace(/^w/, 'W')}.
        </caption>
      )}
      <tbody>
        {brings.map((b) => (
          <tr key={b.metric} className={`align-baseline ${moves(b) ? '' : 'text-ink-2'}`}>
            <th scope="row" className="py-[1.5px] text-left font-normal" title={METRICS[b.metric].how}>
              {METRICS[b.metric].short}
            </th>
            <td className="text-right">{metricText(b.metric, b.before)}</td>
            {moves(b) ? (
              <td className="pl-3 text-right" title={b.high - b.low > 0.0005 ? WITHIN : undefined}>
                <strong>{signed(b.metric, changeOf(b))}</strong>
                {b.high - b.low > 0.0005 && (
                  <span className="block text-[11.5px] text-ink-2">
                    {signed(b.metric, b.low)} to {signed(b.metric, b.high)}
                  </span>
                )}
              </td>
            ) : (
              <td className="pl-3 text-right">stays</td>
            )}
          </tr>
        ))}
      </tbody>
    </table>
  );
}
