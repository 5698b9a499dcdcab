import { Download } from 'lucide-react';
import { useChanges } from '../../api/trials';
import { bytes } from '../../parts/format';
import { Waiting } from '../../parts/states';
import { BECOMES } from './words';

/** What the edits change, as files to take along. */
export function Changes({ trial }: { trial: number }) {
  const changes = useChanges(trial);
  return (
    <section className="mt-7 max-w-[900px]" aria-label="The change as files">
      <h2 className="text-[18px]">The change as files</h2>
      <p className="mt-1 flex gap-2">
        <a className="btn btn-accent" href={`/api/trials/${trial}/changes.zip`} download>
          <Download size={14} aria-hidden /> All files, as zip
        </a>
        <a className="btn" href={`/api/trials/${trial}/changes.diff`} download={`trial-${trial}.diff`}>
          Unified diff
        </a>
      </p>
      {changes.error ? (
        <p className="mt-2 text-ink-2">{changes.error.message}</p>
      ) : !changes.data ? (
        <Waiting rows={2} />
      ) : (
        <ul className="mt-2">
          {changes.data.map((c) => (
            <li key={`${c.url} ${c.becomes}`} className="border-t border-rule py-1.5 text-[13px]">
              <span className="flex gap-4">
                <span className="min-w-0 flex-1 font-mono text-[12px] [overflow-wrap:anywhere]">{c.url}</span>
                <span className="shrink-0">{BECOMES[c.becomes]}</span>
                <span className="w-[150px] shrink-0 text-right text-ink-2">
                  {c.becomes === 'changed' && `${bytes(c.before_bytes)} → ${bytes(c.after_bytes)}`}
                  {c.becomes === 'added' && bytes(c.after_bytes)}
                  {c.becomes === 'taken_off' && `−${bytes(c.before_bytes)}`}
                </span>
              </span>
              {c.to_set.map((line) => (
                <span key={line} className="block pl-4 font-mono text-[12px] text-ink-2 [overflow-wrap:anywhere]">
                  {line}
                </span>
              ))}
            </li>
          ))}
        </ul>
      )}
    </section>
  );
}
