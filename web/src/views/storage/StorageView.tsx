import { useEffect, useState } from 'react';
import { useRoom, useRoomChanges } from '../../api/queries';
import type { Kept, Room, RoomOfOlder, Thinned, WhatGoes } from '../../api/types';
import { Ask } from '../../parts/Ask';
import { bytes, plural, whole } from '../../parts/format';
import { Trouble, Waiting } from '../../parts/states';
import { Modal } from '../../shell/Modal';
import { useNotice } from '../../shell/notices';

const KINDS: Record<Kept, { name: string; what: string; how: string }> = {
  traces: { name: 'Traces', what: 'what the main thread did', how: 'The browser’s traces, packed.' },
  bodies: {
    name: 'Bodies',
    what: 'what was downloaded',
    how: 'Response bodies, packed where that makes them smaller. A body that several recordings have is kept once.',
  },
  frames: { name: 'Frames', what: 'pictures of the screen', how: 'Pictures of the screen, as the browser sent them.' },
  events: {
    name: 'Events',
    what: 'network and page facts',
    how: 'Network events, page facts, and the requests of imported HARs, packed.',
  },
  profiles: {
    name: 'Profiles',
    what: 'what profilers of servers counted',
    how: 'Profiles that were added to pages: their sums, packed.',
  },
  spans: {
    name: 'Spans',
    what: 'what servers told of their work',
    how: 'Spans that servers sent, packed: of recorded loads, and of traces that belong to none.',
  },
  results: {
    name: 'Results',
    what: 'what was computed',
    how: 'Everything that was computed from the rest, packed. It is made anew when the program changes.',
  },
};

const AGES: Record<number, string> = {
  0: 'of any age',
  7: 'older than a week',
  30: 'older than a month',
  90: 'older than three months',
  365: 'older than a year',
};

/** What the data takes on the disk, and how to make room. */
export default function StorageView() {
  const { data: room, error, refetch } = useRoom();
  useEffect(() => {
    document.title = 'Storage · Phainon';
  }, []);
  return (
    <main className="min-h-0 overflow-y-auto bg-sheet px-6 py-4">
      <h1 className="text-[26px]">Storage</h1>
      {error ? <Trouble error={error} again={() => void refetch()} /> : room ? <Told room={room} /> : <Waiting />}
    </main>
  );
}

function Told({ room }: { room: Room }) {
  const all = room.by_kind.reduce((sum, kind) => sum + kind.bytes, 0);
  return (
    <div className="max-w-[860px]">
      <p className="mt-1 text-ink-2">
        <Ask how="The data file and its log, as the disk has them.">{bytes(room.file_bytes)}</Ask> in{' '}
        <code className="font-mono text-[12.5px] [overflow-wrap:anywhere]">{room.directory}</code>
        {room.unused_bytes > 0 && (
          <>
            , of which{' '}
            <Ask how="Pages of the file that hold nothing now. What is recorded next goes there first.">
              {bytes(room.unused_bytes)}
            </Ask>{' '}
            are unused
          </>
        )}
        .{' '}
        {room.disk_free_bytes === null
          ? 'How much the disk has left is not known.'
          : `The disk has ${bytes(room.disk_free_bytes)} left.`}
      </p>
      <section className="mt-6">
        <h2 className="text-lg">What takes it</h2>
        <table className="mt-2 w-full text-[13px]">
          <thead>
            <tr className="border-b border-rule-strong text-left">
              <th className="py-1 pr-4 font-semibold">Kind</th>
              <th className="w-[44%] py-1 pr-4 font-semibold">
                <span className="sr-only">Share</span>
              </th>
              <th className="py-1 pr-4 text-right font-semibold">Parts</th>
              <th className="py-1 text-right font-semibold">Size</th>
            </tr>
          </thead>
          <tbody>
            {room.by_kind.map((kind) => (
              <tr key={kind.what} className="border-b border-rule">
                <td className="py-1.5 pr-4">
                  <Ask how={KINDS[kind.what].how}>{KINDS[kind.what].name}</Ask>
                  <span className="block text-[12px] text-ink-2">{KINDS[kind.what].what}</span>
                </td>
                <td className="py-1.5 pr-4" aria-hidden>
                  <span
                    className="block h-3 bg-accent"
                    style={{ width: `${all ? Math.max(kind.bytes ? 0.5 : 0, (kind.bytes / all) * 100) : 0}%` }}
                  />
                </td>
                <td className="py-1.5 pr-4 text-right">{whole(kind.count)}</td>
                <td className="py-1.5 text-right">{bytes(kind.bytes)}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </section>
      <Older older={room.older} />
      <Deleted room={room} />
    </div>
  );
}

function freed({ recordings, freed_bytes }: Thinned): string {
  return `${plural(recordings, 'recording')}; the data file is ${bytes(freed_bytes)} smaller.`;
}

function Older({ older }: { older: RoomOfOlder[] }) {
  const [days, setDays] = useState(30);
  const [asked, setAsked] = useState<WhatGoes | null>(null);
  const { thin } = useRoomChanges();
  const say = useNotice();
  const chosen = older.find((o) => o.days === days);
  if (!chosen) return null;
  const whose = `recordings ${AGES[days]}`;
  const none = chosen.recordings === 0;
  return (
    <section className="mt-8">
      <h2 className="text-lg">Make room</h2>
      <p className="text-[13px] text-ink-2">Replays and trials count as the recordings that they are.</p>
      <div className="mt-2 flex flex-wrap gap-x-5 gap-y-1 text-[13px]" role="radiogroup" aria-label="Which recordings">
        {older.map((o) => (
          <label key={o.days} className="flex items-center gap-1.5">
            <input type="radio" name="older" checked={o.days === days} onChange={() => setDays(o.days)} />
            {AGES[o.days]}
            <span className="text-ink-2">({whole(o.recordings)})</span>
          </label>
        ))}
      </div>
      <div className="mt-3 grid grid-cols-[max-content_1fr] items-center gap-x-4 gap-y-2 text-[13px]">
        <button
          className="btn"
          disabled={chosen.droppable_bytes === 0 || thin.isPending}
          onClick={() => setAsked('traces_and_bodies')}
        >
          Drop their traces and bodies
        </button>
        <span>
          {bytes(chosen.droppable_bytes)} would go. Figures, requests, frames and the drawn main thread stay; they
          cannot be computed anew.
        </span>
        <button className="btn" disabled={none || thin.isPending} onClick={() => setAsked('whole')}>
          Delete them for good
        </button>
        <span>
          {bytes(chosen.bytes)} would go, with {plural(chosen.recordings, 'recording')}.
        </span>
      </div>
      {thin.isPending && (
        <p role="status" className="mt-2 text-[13px] text-ink-2">
          Making room …
        </p>
      )}
      <Modal
        open={asked !== null}
        onOpenChange={(open) => !open && setAsked(null)}
        title={asked === 'whole' ? 'Delete for good?' : 'Drop traces and bodies?'}
        about={`This is about ${whose}, ${whole(chosen.recordings)} in number. It cannot be undone.`}
      >
        <div className="mt-4 flex gap-3">
          <button
            className="btn btn-main"
            onClick={() => {
              if (!asked) return;
              thin.mutate(
                { days, what: asked },
                {
                  onSuccess: (made) => say({ text: `${asked === 'whole' ? 'Deleted' : 'Thinned'}: ${freed(made)}` }),
                  onError: (e) => say({ text: e.message, bad: true }),
                },
              );
              setAsked(null);
            }}
          >
            {asked === 'whole' ? `Delete ${plural(chosen.recordings, 'recording')}` : 'Drop them'}
          </button>
          <button className="btn" onClick={() => setAsked(null)}>
            Keep everything
          </button>
        </div>
      </Modal>
    </section>
  );
}

function Deleted({ room }: { room: Room }) {
  const { purge } = useRoomChanges();
  const say = useNotice();
  const count = room.deleted_recordings;
  return (
    <section className="mt-8">
      <h2 className="text-lg">Deleted</h2>
      {count === 0 ? (
        <p className="mt-1 text-[13px] text-ink-2">
          Nothing. What is deleted in the list can be brought back for a day and takes its room until then.
        </p>
      ) : (
        <div className="mt-2 flex items-center gap-4 text-[13px]">
          <button
            className="btn"
            disabled={purge.isPending}
            onClick={() =>
              purge.mutate(undefined, {
                onSuccess: (made) => say({ text: `Removed for good: ${freed(made)}` }),
                onError: (e) => say({ text: e.message, bad: true }),
              })
            }
          >
            {purge.isPending ? 'Removing …' : 'Remove for good now'}
          </button>
          <span>
            {plural(count, 'recording')}, {bytes(room.deleted_bytes)} besides bodies. They go by themselves a day after
            they were deleted.
          </span>
        </div>
      )}
    </section>
  );
}
