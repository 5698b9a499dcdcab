import type { Compared, SaidCompared } from '../../api/types';
import { Ask } from '../../parts/Ask';
import { METRICS, metricText, signed } from '../../parts/format';
import { openQuestion, VERDICTS } from './words';

const WIDTH = 190;

/** A difference with its interval, drawn across zero; each metric on a scale of its own. */
function Across({ compared }: { compared: Compared }) {
  const { difference, low, high } = compared;
  const reach = Math.max(Math.abs(difference), Math.abs(low ?? 0), Math.abs(high ?? 0), 1e-9) * 1.15;
  const x = (value: number) => WIDTH / 2 + (value / reach) * (WIDTH / 2);
  return (
    <svg width={WIDTH} height="20" role="img" aria-label={interval(compared)}>
      <line x1="0" x2={WIDTH} y1="10" y2="10" stroke="var(--rule)" />
      {low !== null && high !== null && (
        <rect x={x(low)} y="6" width={Math.max(1, x(high) - x(low))} height="8" fill="var(--accent)" opacity="0.28" />
      )}
      <line x1={WIDTH / 2} x2={WIDTH / 2} y1="1" y2="19" stroke="var(--ink)" />
      <line x1={x(difference)} x2={x(difference)} y1="4" y2="16" stroke="var(--accent)" strokeWidth="2.5" />
    </svg>
  );
}

const interval = (c: Compared) =>
  c.low === null || c.high === null
    ? `${signed(c.metric, c.difference)}; fewer than three loads give no interval`
    : `${signed(c.metric, c.low)} … ${signed(c.metric, c.high)}`;

function Values({ compared, side }: { compared: Compared; side: 'a' | 'b' }) {
  const values = side === 'a' ? compared.a_values : compared.b_values;
  return (
    <Ask how={`Median of ${values.map((v) => metricText(compared.metric, v)).join(', ')}.`}>
      {metricText(compared.metric, compared[side])}
    </Ask>
  );
}

/** Metric by metric: both medians, the difference with its interval, and what it comes to. */
export function Verdicts(props: { rows: SaidCompared[]; broken: boolean; names: [string, string] }) {
  return (
    <table className="mt-3 w-full max-w-[900px] text-[13px]">
      <thead>
        <tr className="border-b border-rule-strong">
          <th className="py-1">Metric</th>
          <th className="w-[76px] text-right">{props.names[0]}</th>
          <th className="w-[76px] text-right">{props.names[1]}</th>
          <th className="w-[90px] text-right">
            <Ask how="The second median less the first: below zero is better.">Difference</Ask>
          </th>
          <th className="w-[220px] pl-5">
            <Ask how="The 95 % interval of the difference of medians, by bootstrap over the loads (2,000 draws). The line in the middle is zero.">
              Interval
            </Ask>
          </th>
          <th className="w-[112px]">
            <Ask how="Better or worse where the interval leaves out zero, the ranks of the loads lie apart by chance at most once in twenty (Mann–Whitney), and the difference is more than a frame. Three loads can never tell.">
              Verdict
            </Ask>
          </th>
        </tr>
      </thead>
      <tbody>
        {props.rows.map(({ compared: c, verdict }) => (
          <tr key={c.metric} className="border-b border-rule">
            <td className="py-1.5">
              <Ask how={METRICS[c.metric].how}>
                <strong>{METRICS[c.metric].short}</strong>
              </Ask>{' '}
              <span className="text-ink-2">{METRICS[c.metric].words}</span>
            </td>
            <td className="text-right">
              <Values compared={c} side="a" />
            </td>
            <td className="text-right">
              <Values compared={c} side="b" />
            </td>
            <td className="text-right font-semibold">{signed(c.metric, c.difference)}</td>
            <td className="pl-5" title={interval(c)}>
              <Across compared={c} />
            </td>
            <td>
              <strong className={verdict === 'cannot_tell' ? 'font-normal' : ''}>{VERDICTS[verdict]}</strong>
              <span className="block text-[12px] text-ink-2">{openQuestion(c, verdict, props.broken)}</span>
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
