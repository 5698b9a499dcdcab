import { useEffect, useState } from 'react';
import { useBody, useHeaders, useUsed } from '../api/queries';
import type { RequestRow } from '../api/types';
import { bytes } from '../parts/format';
import { Modal } from './Modal';

/** Text set out to be read; data come set out from the server already. */
async function setOut(text: string, kind: RequestRow['kind']): Promise<string> {
  if (text.length > 400_000) return text;
  const { css, html, js } = (await import('js-beautify')).default;
  const options = { indent_size: 2, max_preserve_newlines: 2 };
  switch (kind) {
    case 'script':
      return js(text, options);
    case 'style':
      return css(text, options);
    case 'document':
      return html(text, options);
    default:
      return text;
  }
}

/** A response: its headers, and its body as a picture or as text, never as markup. */
export function AnswerDialog(props: { recording: number; load: number; row: RequestRow; onClose: () => void }) {
  const { row } = props;
  const headers = useHeaders(props.recording, props.load, row.id);
  const picture = row.kind === 'image' && row.has_body;
  const body = useBody(props.recording, props.load, row.id, row.has_body && !picture);
  const code = row.kind === 'script' || row.kind === 'style';
  const used = useUsed(props.recording, row.url, code && row.has_body);
  const [way, setWay] = useState<'set out' | 'as it came' | 'used'>('set out');
  const [pretty, setPretty] = useState<string | null>(null);
  const text = body.data?.text ?? null;
  useEffect(() => {
    let gone = false;
    if (text !== null) {
      setOut(text, row.kind).then(
        (made) => !gone && setPretty(made),
        () => !gone && setPretty(text),
      );
    }
    return () => {
      gone = true;
    };
  }, [text, row.kind]);
  const ways = ['set out', 'as it came', ...(used.data ? ['used'] : [])] as (typeof way)[];
  return (
    <Modal open onOpenChange={(open) => !open && props.onClose()} title={row.name} wide>
      <p className="font-mono text-[12px] text-ink-2 [overflow-wrap:anywhere]">{row.url}</p>
      <details className="mt-3 text-[13px]" open={!row.has_body}>
        <summary className="cursor-pointer">
          {headers.data ? headers.data.response.length : '…'} headers of the answer, status {row.status ?? 'unknown'}
        </summary>
        <table className="mt-1 w-full">
          <tbody>
            {headers.data?.response.map((h, i) => (
              <tr key={i} className="border-b border-rule align-top font-mono text-[12px]">
                <th scope="row" className="w-[220px] py-0.5 pr-3 font-mono">
                  {h.name}
                </th>
                <td className="[overflow-wrap:anywhere]">{h.value}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </details>
      <section className="mt-3 border-t border-rule-strong pt-3" aria-label="Body">
        {!row.has_body ? (
          <p className="text-[13px] text-ink-2">The body of this response was not kept.</p>
        ) : picture ? (
          <img
            className="max-h-[56vh] max-w-full border border-rule bg-[repeating-conic-gradient(#e8e8e8_0_25%,#fff_0_50%)] bg-[length:16px_16px]"
            src={`/api/recordings/${props.recording}/loads/${props.load}/requests/${row.id}/picture`}
            alt={row.name}
          />
        ) : body.error ? (
          <p role="alert">{body.error.message}</p>
        ) : !body.data ? (
          <p role="status">Reading it …</p>
        ) : text === null ? (
          <p className="text-[13px] text-ink-2">{bytes(body.data.bytes)} that are neither text nor a picture.</p>
        ) : (
          <>
            <p className="mb-2 flex items-center gap-1 text-[13px]">
              {ways.map((w) => (
                <button key={w} className="btn !px-2 !py-0.5" aria-pressed={way === w} onClick={() => setWay(w)}>
                  {w}
                </button>
              ))}
              <span className="ml-2 text-ink-2">
                {bytes(body.data.bytes)}
                {body.data.cut && '; only its beginning is shown'}
              </span>
            </p>
            <pre className="max-h-[52vh] overflow-auto border border-rule bg-paper p-3 font-mono text-[12px] leading-[1.45]">
              {way === 'used' && used.data ? (
                <Used text={text} ranges={used.data} />
              ) : way === 'as it came' ? (
                text
              ) : (
                (pretty ?? 'Setting it out …')
              )}
            </pre>
            {way === 'used' && (
              <p className="mt-1 text-[12.5px] text-ink-2">
                Struck through: what one more load under the same conditions did not use. An interaction or another page
                may use it.
              </p>
            )}
          </>
        )}
      </section>
    </Modal>
  );
}

function Used({ text, ranges }: { text: string; ranges: [number, number][] }) {
  const parts: React.ReactNode[] = [];
  let at = 0;
  ranges.forEach(([from, to], i) => {
    if (from > at)
      parts.push(
        <s key={`u${i}`} className="text-ink-3">
          {text.slice(at, from)}
        </s>,
      );
    parts.push(
      <span key={i} className="bg-soft">
        {text.slice(from, to)}
      </span>,
    );
    at = to;
  });
  if (at < text.length)
    parts.push(
      <s key="rest" className="text-ink-3">
        {text.slice(at)}
      </s>,
    );
  return <>{parts}</>;
}
