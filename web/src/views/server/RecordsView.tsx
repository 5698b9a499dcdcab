import { useEffect } from 'react';
import { Link, useParams } from 'react-router';
import { useDropServerRecord, useServerRecord, useServerRecords } from '../../api/server';
import { DropButton } from '../../parts/DropButton';
import { day, ms, plural } from '../../parts/format';
import { Empty, Trouble, Waiting } from '../../parts/states';
import { useNotice } from '../../shell/notices';
import { AnswerWork } from './AnswerWork';

/** Traces that servers sent, or that came in a file, and that belong to no recorded load. */
export default function RecordsView() {
  const { trace } = useParams();
  useEffect(() => {
    document.title = 'Server records · Phainon';
  }, []);
  return <main className="min-h-0 overflow-y-auto bg-sheet px-6 py-4">{trace ? <One trace={trace} /> : <List />}</main>;
}

function List() {
  const { data, error, refetch } = useServerRecords();
  const drop = useDropServerRecord();
  const say = useNotice();
  if (error) return <Trouble error={error} again={() => void refetch()} />;
  if (!data) return <Waiting />;
  if (!data.length) {
    return (
      <Empty title="No server records">
        <p>
          A server record is what a server told of one answer without a browser’s load: spans that came to{' '}
          <code className="font-mono text-[12.5px]">{location.origin}/v1/traces</code> for a trace that nobody recorded,
          or a file of OTLP JSON that you drop anywhere here. They are kept for a week; those of a file stay.
        </p>
      </Empty>
    );
  }
  return (
    <div className="max-w-[860px]">
      <h1 className="text-[26px]">Server records</h1>
      <p className="text-[13.5px] text-ink-2">
        {plural(data.length, 'trace')} without a recorded load, the newest first.
      </p>
      <table className="mt-3 w-full text-[13px]">
        <thead>
          <tr className="border-b border-rule-strong">
            <th className="py-1">Trace</th>
            <th className="text-right">Spans</th>
            <th className="pl-5">Came</th>
            <th className="pl-5">File</th>
            <th className="w-10">
              <span className="sr-only">Delete</span>
            </th>
          </tr>
        </thead>
        <tbody>
          {data.map((record) => (
            <tr key={record.trace} className="border-b border-rule">
              <td className="py-1 font-mono text-[12.5px]">
                <Link className="hover:text-accent" to={`/server-records/${record.trace}`}>
                  {record.trace}
                </Link>
              </td>
              <td className="text-right">{record.spans}</td>
              <td className="pl-5">{day(record.received_at)}</td>
              <td className="max-w-[220px] truncate pl-5">{record.imported_from ?? ''}</td>
              <td className="text-right">
                <DropButton
                  label={`Delete the record of trace ${record.trace}`}
                  drop={() => drop.mutate(record.trace, { onError: (e) => say({ text: e.message, bad: true }) })}
                />
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

function One({ trace }: { trace: string }) {
  const { data, error } = useServerRecord(trace);
  if (error) return <Trouble error={error} />;
  if (!data) return <Waiting />;
  return (
    <>
      <p className="text-[13px]">
        <Link className="text-accent" to="/server-records">
          All server records
        </Link>
      </p>
      {data.map((answer) => (
        <section key={answer.request} className="mb-10" aria-label={answer.url}>
          <h1 className="text-[24px] [overflow-wrap:anywhere]">
            {ms(answer.span_ms)} for {answer.url}
          </h1>
          <p className="text-[13.5px] text-ink-2">
            {plural(answer.span_count, 'span')}
            {answer.services.length > 0 && `, told by ${answer.services.join(', ')}`}; times from the trace’s first
            span.
          </p>
          <AnswerWork answer={answer} />
        </section>
      ))}
    </>
  );
}
