import type { Compared } from '../../api/types';
import { Ask } from '../../parts/Ask';
import { METRICS, metricText, signed } from '../../parts/format';
import { openQuestion, VERDICTS } from '../trials/words';

const WIDTH = 250;

/** The loads of both on one ruler: A above the rule, B below it; medians as strokes. */
function Dots({ compared: c }: { compared: Compared }) {
  const all = [...c.a_values, ...c.b_values];
  const [low, high] = [Math.min(...all), Math.max(...all)];
  const pad = (high - low || Math.max(1e-6, high * 0.1)) * 0.08;
  const x = (v: number) => 6 + ((v - low + pad) / (high - low + 2 * pad || 1)) * (WIDTH - 12);
  const said = (values: number[]) => values.map((v) => metricText(c.metric, v)).join(', ');
  return (
    <svg width={WIDTH} height="30" role="img" aria-label={`A: ${said(c.a_values)}; B: ${said(c.b_values)}`}>
      <line x1="0" x2={WIDTH} y1="15" y2="15" stroke="var(--rule-strong)" />
      <line x1={x(c.a)} x2={x(c.a)} y1="2" y2="15" stroke="var(--ink)" strokeWidth="2" />
      <line x1={x(c.b)} x2={x(c.b)} y1="15" y2="28" stroke="var(--accent)" strokeWidth="2" />
      {c.a_values.map((v, i) => (
        <circle key={i} cx={x(v)} cy="9" r="3.2" fill="var(--sheet)" stroke="var(--ink)" strokeWidth="1.4" />
      ))}
      {c.b_values.map((v, i) => (
        <circle key={i} cx={x(v)} cy="21" r="3.2" fill="var(--accent)" />
      ))}
    </svg>
  );
}

/** Metric by metric: the loads of both on one ruler, the difference with its interval, and what it comes to. */
export function Rulers({ rows, plain }: { rows: Compared[]; plain: boolean }) {
  return (
    <table className="mt-1 w-full max-w-[1000px] text-[13px]" aria-label="Metrics of both">
      <thead>
        <tr className="border-b border-rule-strong">
          <th className="py-1">Metric</th>
          <th className="w-[80px] text-right">A</th>
          <th className="w-[80px] text-right">B</th>
          <th className="w-[270px] pl-5">
            <Ask how="Each load of A (hollow, above) and of B (full, below) on one ruler; the strokes are the medians.">
              Each load
            </Ask>
          </th>
          <th className="w-[180px] text-right">
            <Ask how="Median of B less that of A, with the 95 % interval by bootstrap. Below zero is better.">
              Difference
            </Ask>
          </th>
          {!plain && (
            <th className="w-[130px] pl-5">
              <Ask how="Better or worse where the interval leaves out zero, the ranks of the loads lie apart by chance at most once in twenty (Mann–Whitney), and the difference is more than a frame.">
                Verdict
              </Ask>
            </th>
          )}
        </tr>
      </thead>
      <tbody>
        {rows.map((c) => (
          <tr key={c.metric} className="border-b border-rule">
            <td className="py-1">
              <Ask how={METRICS[c.metric].how}>
                <strong>{METRICS[c.metric].short}</strong>
              </Ask>{' '}
              <span className="text-ink-2">{METRICS[c.metric].words}</span>
            </td>
            <td className="text-right">{metricText(c.metric, c.a)}</td>
            <td className="text-right">{metricText(c.metric, c.b)}</td>
            <td className="pl-5">
              <Dots compared={c} />
            </td>
            <td className="text-right">
              <strong>{signed(c.metric, c.difference)}</strong>
              <span className="block text-[12px] text-ink-2">
                {c.low !== null && c.high !== null
                  ? `${signed(c.metric, c.low)} … ${signed(c.metric, c.high)}`
                  : 'too few loads for an interval'}
              </span>
            </td>
            {!plain && (
              <td className="pl-5">
                <strong className={c.verdict === 'cannot_tell' ? 'font-normal' : ''}>{VERDICTS[c.verdict]}</strong>
                <span className="block text-[12px] text-ink-2">{openQuestion(c, c.verdict, false)}</span>
              </td>
            )}
          </tr>
        ))}
      </tbody>
    </table>
  );
}
