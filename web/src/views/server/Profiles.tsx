import { FileUp } from 'lucide-react';
import { useRef } from 'react';
import { Link } from 'react-router';
import { useProfileChanges, useProfiles } from '../../api/server';
import type { ProfileHead } from '../../api/types';
import { DropButton } from '../../parts/DropButton';
import { day, plural } from '../../parts/format';
import { Trouble } from '../../parts/states';
import { useNotice } from '../../shell/notices';
import { useReading } from '../../shell/reading';

/** The profiles of this page's server, and adding one. */
export function Profiles() {
  const { recording, number } = useReading();
  const { data, error, refetch } = useProfiles(recording.id);
  const { add, drop } = useProfileChanges(recording.id);
  const input = useRef<HTMLInputElement>(null);
  const say = useNotice();
  const stop = useRef<AbortController>(null);
  const bring = (file: File) => {
    const controller = new AbortController();
    stop.current = controller;
    add.mutate(
      { file, signal: controller.signal },
      {
        onSuccess: (head) =>
          say({
            text: head.of
              ? `${head.file} was written during load ${head.of.load}: it is that load’s.`
              : `${head.file} was written during none of the loads: it is the page’s as a whole.`,
          }),
        onError: (e) =>
          controller.signal.aborted
            ? say({ text: `${file.name} was not read; nothing of it was kept.` })
            : say({ text: e.message, bad: true }),
      },
    );
  };
  const own = (head: ProfileHead) => head.of?.recording === recording.id && head.of.load === number;
  return (
    <section className="mt-8 max-w-[860px]" aria-label="Profiles">
      <div className="flex items-center gap-3">
        <h2 className="text-[18px]">Profiles of the server’s code</h2>
        <input
          ref={input}
          type="file"
          className="sr-only"
          tabIndex={-1}
          aria-label="Profile to add"
          onChange={(e) => {
            const file = e.target.files?.[0];
            e.target.value = '';
            if (file) bring(file);
          }}
        />
        <button className="btn ml-auto" disabled={add.isPending} onClick={() => input.current?.click()}>
          <FileUp size={14} aria-hidden /> {add.isPending ? 'Reading the profile …' : 'Add a profile'}
        </button>
        {add.isPending && (
          <button className="btn" onClick={() => stop.current?.abort()}>
            Cancel
          </button>
        )}
      </div>
      {error ? (
        <Trouble error={error} again={() => void refetch()} />
      ) : !data?.length ? (
        <p className="max-w-[680px] text-[13.5px] text-ink-2">
          A profiler tells function by function what the server’s code does: files in the callgrind format, as profilers
          of PHP, Python, Ruby and C write them, plain or gzip, up to 512 MB. A profile that was written while a load
          was recorded is told to be that load’s.
        </p>
      ) : (
        <table className="mt-2 w-full text-[13px]">
          <thead>
            <tr className="border-b border-rule-strong">
              <th className="py-1">File</th>
              <th className="pl-4">Written by</th>
              <th className="pl-4">Of</th>
              <th className="pl-4">Written</th>
              <th className="w-10">
                <span className="sr-only">Delete</span>
              </th>
            </tr>
          </thead>
          <tbody>
            {data.map((head) => (
              <tr key={head.id} className={`border-b border-rule ${own(head) ? 'bg-soft' : ''}`}>
                <td className="max-w-[260px] truncate py-1 font-mono text-[12.5px]" title={head.file}>
                  <Link className="hover:text-accent" to={`?profile=${head.id}`}>
                    {head.file}
                  </Link>
                </td>
                <td className="max-w-[200px] truncate pl-4 text-ink-2">{head.creator ?? 'not told'}</td>
                <td className="pl-4">{ofWhat(head, recording.id, number)}</td>
                <td className="pl-4">{head.written_at ? day(head.written_at) : 'not told'}</td>
                <td className="text-right">
                  <DropButton
                    label={`Delete the profile ${head.file}`}
                    drop={() => drop.mutate(head.id, { onError: (e) => say({ text: e.message, bad: true }) })}
                  />
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {data && data.length > 0 && (
        <p className="mt-1 text-[12.5px] text-ink-2">{plural(data.length, 'profile')} of this page</p>
      )}
    </section>
  );
}

/** Which load a profile is of, from where one stands. */
export function ofWhat(head: ProfileHead, recording: number, load: number): string {
  if (!head.of) return 'the page';
  if (head.of.recording !== recording) return `load ${head.of.load} of another recording`;
  return head.of.load === load ? 'this load' : `load ${head.of.load}`;
}
