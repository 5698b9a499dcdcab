import { useId, useState } from 'react';
import { useTrialChanges } from '../../api/trials';
import type { EditKind, OfferedEdit } from '../../api/types';
import { useReading } from '../../shell/reading';

/** The kinds of edit that a trial can make, and what each wants to be told. */
const KINDS: [EditKind, string, 'file' | 'host' | 'owner', string?][] = [
  ['remove', 'take a file off the page', 'file'],
  ['remove_owner', 'do without an owner', 'owner'],
  ['defer_script', 'defer a script', 'file'],
  ['async_script', 'let a script run whenever it comes', 'file'],
  ['delay_script', 'delay scripts until the first input', 'owner'],
  ['script_to_end', 'move a script to the end of the body', 'file'],
  ['reduce_style', 'inline what is used of a sheet', 'file'],
  ['lift_import', 'link an imported sheet', 'file'],
  ['preload', 'preload a file', 'file'],
  ['raise_priority', 'give a file a high priority', 'file'],
  ['put_in_html', 'put the largest picture in the HTML', 'file'],
  ['lazy', 'load a picture or frame lazily', 'file'],
  ['eager', 'load a lazy picture at once', 'file'],
  ['compress', 'send text packed', 'file'],
  ['minify', 'minify code', 'file'],
  ['shrink', 're-encode a picture', 'file', '0.3'],
  ['resize', 'send pictures at the size shown', 'file'],
  ['drop_unused', 'drop what is unused of a sheet', 'file'],
  ['faster_response', 'have the server answer within', 'file', '60ms'],
  ['page_cache', 'serve the page from a page cache', 'file'],
  ['server_remove', 'take an owner’s work off the server', 'owner'],
  ['nearer', 'serve a host from nearer by', 'host', '40ms'],
  ['self_host', 'serve a third party’s file oneself', 'file'],
  ['drop_redirect', 'leave a redirect out', 'file'],
  ['http2', 'serve a host over HTTP/2', 'host'],
  ['set_dimensions', 'give pictures their dimensions', 'file'],
  ['show_text', 'show text before its font', 'file'],
  ['preload_font', 'preload a font', 'file'],
  ['cache_longer', 'let browsers keep files longer', 'file'],
];

/** Names any edit of any file, host or owner of the load. */
export function ByAddress({ onChosen }: { onChosen: (edit: OfferedEdit) => void }) {
  const { recording, load, number } = useReading();
  const { read } = useTrialChanges(recording.id);
  const [kind, setKind] = useState<EditKind>('remove');
  const [target, setTarget] = useState('');
  const [value, setValue] = useState('');
  const [trouble, setTrouble] = useState<string | null>(null);
  const list = useId();
  const about = KINDS.find(([k]) => k === kind);
  const takes = about?.[3];
  const options =
    about?.[2] === 'owner'
      ? load.owners.filter((o) => o.kind !== 'browser').map((o) => o.name)
      : about?.[2] === 'host'
        ? [...new Set(load.requests.map((r) => r.host).filter((h) => h !== null))]
        : load.requests.filter((r) => r.url.startsWith('http')).map((r) => r.url);
  const add = () => {
    const text = `${kind}:${target.trim()}${takes && value.trim() ? `=${value.trim()}` : ''}`;
    read.mutate(
      { load: number, text },
      {
        onSuccess: (edit) => {
          setTrouble(edit.problem && `It cannot be tried: ${edit.problem}`);
          if (edit.problem) return;
          onChosen(edit);
          setTarget('');
        },
        onError: (error) => setTrouble(error.message),
      },
    );
  };
  return (
    <form
      className="mt-3 text-[13px]"
      onSubmit={(e) => {
        e.preventDefault();
        if (target.trim()) add();
      }}
    >
      <div className="flex flex-wrap items-center gap-2">
        <label className="w-[118px] shrink-0 text-ink-2" htmlFor={`${list}-kind`}>
          Or any other
        </label>
        <select
          id={`${list}-kind`}
          className="min-w-0 flex-1 rounded border border-rule-strong bg-sheet px-1.5 py-1"
          value={kind}
          onChange={(e) => {
            setKind(e.target.value as EditKind);
            setTrouble(null);
          }}
        >
          {KINDS.map(([k, words]) => (
            <option key={k} value={k}>
              {words}
            </option>
          ))}
        </select>
        <span className="w-full" />
        <span className="w-[118px] shrink-0" />
        <input
          className="field min-w-0 flex-1"
          aria-label={`Which ${about?.[2] ?? 'file'}`}
          placeholder={about?.[2] === 'file' ? 'address, or its end' : about?.[2]}
          list={list}
          value={target}
          onChange={(e) => setTarget(e.target.value)}
        />
        <datalist id={list}>
          {[...new Set(options)].slice(0, 500).map((o) => (
            <option key={o} value={o} />
          ))}
        </datalist>
        {takes && (
          <input
            className="field !w-[80px]"
            aria-label="To how much"
            placeholder={takes}
            value={value}
            onChange={(e) => setValue(e.target.value)}
          />
        )}
        <button className="btn" disabled={!target.trim() || read.isPending}>
          Add
        </button>
      </div>
      {trouble && (
        <p role="alert" className="mt-1 pl-[126px] text-[12.5px] text-past">
          {trouble}
        </p>
      )}
    </form>
  );
}
