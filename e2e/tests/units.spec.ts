import { expect, test } from '@playwright/test';
import { QueryObserver } from '../../web/node_modules/@tanstack/react-query/build/modern/index.js';
import { Asking } from '../../web/src/api/asking';
import { get, Refused, send } from '../../web/src/api/client';
import { readTracks, type Lane, type Tracks } from '../../web/src/api/tracks';
import { barAt, drawLane, ROW_HEIGHT } from '../../web/src/views/main-thread/draw';
import { parseSelection, selectionText, type Selection } from '../../web/src/shell/selection';
import { COLUMNS, sorted } from '../../web/src/views/requests/columns';
import { FACTS, filterRequests } from '../../web/src/views/requests/filter';
import { row } from './made';

test('the filter knows words, facts, sizes, not and or', () => {
  const rows = [
    row(0, { kind: 'document', transferred_bytes: 9_000, on_path: true }),
    row(1, { render_blocking: 'blocking', transferred_bytes: 60_000, owner: { name: 'deck-slider', kind: 'plugin' } }),
    row(2, { kind: 'image', transferred_bytes: 400_000, placement: 'below_fold', end_ms: 1_900, priority: 'Low', final_priority: 'High' }),
    row(3, { kind: 'style', cache: 'disk', transferred_bytes: 0, status: 404 }),
    row(4, { transferred_bytes: null, end_ms: null, first_byte_ms: null, failed: 'refused', initiator: { kind: 'script', url: 'http://a.test/slider.js', line: 3, stack: [] } }),
  ];
  const ids = (words: string) => filterRequests(rows, words).map((r) => r.id);
  expect(ids('')).toEqual([0, 1, 2, 3, 4]);
  expect(ids('kind:script size>50kB owner:deck')).toEqual([1]);
  expect(ids('blocking:yes or fold:below')).toEqual([1, 2]);
  expect(ids('-kind:script')).toEqual([0, 2, 3]);
  expect(ids('kind:js')).toEqual([1, 4]);
  expect(ids('duration>1s')).toEqual([2]);
  expect(ids('size<1kB')).toEqual([3]);
  expect(ids('cache:yes')).toEqual([3]);
  expect(ids('failed:yes')).toEqual([3, 4]);
  expect(ids('by:slider')).toEqual([4]);
  expect(ids('priority:high kind:image')).toEqual([2]);
  expect(ids('path:yes')).toEqual([0]);
  expect(ids('status:4')).toEqual([3]);
  expect(ids('FILE-2')).toEqual([2]);
  expect(ids('size>many')).toEqual([]);
});

test('every fact that the help beside the filter names is one that it knows', () => {
  const such = row(0, {
    kind: 'script', owner: { name: 'deck-slider', kind: 'plugin' }, host: 'static.skerryline.test', render_blocking: 'blocking', on_path: true, status: 404,
    protocol: 'h2', priority: 'High', cache: 'disk', initiator: { kind: 'script', url: 'http://a.test/slider.js', line: 1, stack: [] }, placement: 'hidden',
    failed: 'refused', transferred_bytes: 60_000, unpacked_bytes: 300_000, start_ms: 100, sent_ms: 110, first_byte_ms: 500, end_ms: 900,
  });
  const below = row(1, { ...such, id: 1, placement: 'below_fold' });
  const other = row(2, {
    kind: 'image', owner: { name: 'site', kind: 'site' }, host: 'www.skerryline.test', status: 200, protocol: 'http/1.1', priority: 'Low',
    transferred_bytes: 900, unpacked_bytes: 900, start_ms: 2_000, sent_ms: 2_000, first_byte_ms: 2_010, end_ms: 2_020,
  });
  for (const fact of FACTS) {
    const ids = filterRequests([such, below, other], fact).map((r) => r.id);
    const wanted = fact === 'hidden:yes' ? [0] : fact === 'fold:below' ? [1] : [0, 1];
    expect(ids, fact).toEqual(wanted);
    if (fact.includes(':')) expect(filterRequests([such, below, other], `-${fact}`).map((r) => r.id), `not ${fact}`).toEqual([0, 1, 2].filter((id) => !wanted.includes(id)));
  }
});

test('a column says of a request what is known of it, and a dash for what is not', () => {
  const text = (id: string, of: Parameters<typeof row>[1], total = 1_000_000) => COLUMNS.find((c) => c.id === id)?.text(row(0, of), total);
  expect(text('share', { transferred_bytes: 250_000 })).toBe('25.0 %');
  expect(text('share', { transferred_bytes: 250_000 }, 0), 'of a load without bytes nothing is a share').toBe('–');
  expect(text('wait', { sent_ms: 100, first_byte_ms: 440 })).toBe('340 ms');
  expect(text('priority', { priority: 'Low', final_priority: 'High' })).toBe('Low → High');
  expect(text('priority', { priority: 'High', final_priority: 'High' })).toBe('High');
  expect(text('cache', { cache: 'service_worker' })).toBe('service worker');
  expect(text('cache', { cache: null })).toBe('network');
  expect(text('by', { initiator: { kind: 'parser', url: null, line: null, stack: [] } })).toBe('parser');
  expect(text('by', { initiator: { kind: 'script', url: 'http://a.test/js/slider.js?v=3', line: 1, stack: [] } })).toContain('slider.js');
  const nothing = { host: null, status: null, protocol: null, priority: null, final_priority: null, sent_ms: null, first_byte_ms: null, end_ms: null, transferred_bytes: null, unpacked_bytes: null, connection: null };
  for (const id of ['size', 'unpacked', 'share', 'duration', 'wait', 'priority', 'protocol', 'connection', 'status', 'host']) expect(text(id, nothing), id).toBe('–');
});

test('every column orders the other way round when it is asked to', () => {
  const one = row(0, { owner: { name: 'a', kind: 'plugin' }, kind: 'document', host: 'a.test', status: 200, protocol: 'h2', priority: 'High', connection: 1, cache: 'disk', transferred_bytes: 9, unpacked_bytes: 9, end_ms: 900, first_byte_ms: 800, initiator: { kind: 'script', url: 'http://a.test/a.js', line: 1, stack: [] } });
  const two = row(1, { owner: { name: 'b', kind: 'plugin' }, kind: 'script', host: 'b.test', status: 404, protocol: 'h3', priority: 'Low', connection: 2, cache: 'memory', transferred_bytes: 5, unpacked_bytes: 5, end_ms: 400, first_byte_ms: 300, initiator: { kind: 'script', url: 'http://a.test/b.js', line: 1, stack: [] } });
  for (const { id } of COLUMNS.filter((c) => c.id !== 'start')) {
    expect(sorted([two, one], id).map((r) => r.id), id).toEqual([0, 1]);
    expect(sorted([one, two], `-${id}`).map((r) => r.id), `-${id}`).toEqual([1, 0]);
  }
});

test('what is not known stands last, whichever way the order goes', () => {
  const rows = [row(0, { transferred_bytes: 5 }), row(1, { transferred_bytes: null }), row(2, { transferred_bytes: 50 })];
  expect(sorted(rows, 'size').map((r) => r.id)).toEqual([2, 0, 1]);
  expect(sorted(rows, '-size').map((r) => r.id)).toEqual([0, 2, 1]);
  expect(sorted(rows, 'start').map((r) => r.id)).toEqual([0, 1, 2]);
  expect(sorted(rows, 'no such column').map((r) => r.id)).toEqual([0, 1, 2]);
});

/** Columns as the server writes them. */
function columns(tasks: [start: number, duration: number, depth: number][]): ArrayBuffer {
  const head = JSON.stringify({ labels: [{ text: 'task', url: null, line: null, owner: 0 }], owners: [{ name: 'page', kind: 'browser' }], kinds: ['other', 'layout'], tasks: tasks.length, stacks: 0 });
  const padded = head.padEnd(Math.ceil((head.length + 4) / 8) * 8 - 4, ' ');
  const n = tasks.length;
  const bytes = new ArrayBuffer(4 + padded.length + Math.ceil((n * 18) / 8) * 8);
  const view = new DataView(bytes);
  view.setUint32(0, padded.length, true);
  new Uint8Array(bytes, 4).set(new TextEncoder().encode(padded));
  const at = 4 + padded.length;
  tasks.forEach(([start, duration, depth], i) => {
    view.setFloat64(at + i * 8, start, true);
    view.setFloat32(at + n * 8 + i * 4, duration, true);
    view.setUint8(at + n * 16 + i, depth);
  });
  return bytes;
}

/** A canvas that notes which pixels of which row were filled. */
function canvas() {
  const filled = new Map<number, Set<number>>();
  const rects: number[] = [];
  const context = {
    fillStyle: '', textBaseline: '',
    fillRect(x: number, y: number, w: number) {
      rects.push(x);
      const line = filled.get(y) ?? new Set<number>();
      for (let px = Math.floor(x); px < x + w; px++) line.add(px);
      filled.set(y, line);
    },
    fillText() {}, save() {}, restore() {}, beginPath() {}, rect() {}, clip() {},
  };
  return { context: context as unknown as CanvasRenderingContext2D, filled, rects };
}

const paints = { kinds: ['#111', '#222'], sheet: '#fff', ink: '#000', onBar: '#fff' };

test('the chart draws every pixel that holds a bar, and no more pictures than pixels', () => {
  const tasks: [number, number, number][] = [];
  let at = 0;
  // Half a million bars in ten seconds; every seventh has a part.
  for (let i = 0; at < 10_000; i++) {
    const long = i % 997 === 0 ? 30 : 0.008;
    tasks.push([at, long, 0]);
    if (i % 7 === 0) tasks.push([at, long / 2, 1]);
    at += long + (i % 50 === 0 ? 4 : 0.01);
  }
  const tracks: Tracks = readTracks(columns(tasks));
  const lane: Lane = tracks.tasks;
  expect(lane.rows).toBe(2);
  expect((lane.byRow[0] as Uint32Array).length + (lane.byRow[1] as Uint32Array).length).toBe(tasks.length);
  for (const span of [{ from: 0, to: 10_000 }, { from: 4_000, to: 4_060 }, { from: 0, to: 0.5 }]) {
    const width = 700;
    const { context, filled, rects } = canvas();
    drawLane(context, tracks, lane, span, width, 0, 2, paints);
    expect(rects.length).toBeLessThanOrEqual(2 * (width + 2));
    const scale = width / (span.to - span.from);
    let missed = 0;
    for (const [start, duration, depth] of tasks) {
      if (start + duration < span.from || start > span.to) continue;
      const px = Math.floor(Math.max(0, (start - span.from) * scale));
      if (px < width && !filled.get(depth * ROW_HEIGHT)?.has(px)) missed++;
    }
    expect(missed).toBe(0);
  }
  // The bar under a place is the one that is there.
  const bar = barAt(lane, 0, 15, 0.001);
  expect(bar).not.toBeNull();
  const start = lane.start[bar as number] as number;
  expect(start <= 15 && 15 <= start + (lane.duration[bar as number] as number) + 0.001).toBe(true);
  expect(barAt(lane, 9, 15, 0.001)).toBeNull();
});

test('a selection is read from the address as it was written to it', () => {
  const all: Selection[] = [
    null, { kind: 'request', id: 12 }, { kind: 'leg', index: 0 }, { kind: 'finding', key: 'standout http://a.test/x:y?z' },
    { kind: 'task', index: 3 }, { kind: 'script', url: 'http://a.test:81/a.js' }, { kind: 'owner', owner: 'plugin deck-slider' }, { kind: 'fix', id: 7 },
  ];
  for (const selection of all) expect(parseSelection(selectionText(selection))).toEqual(selection);
  for (const odd of ['request:x', 'leg:1.5', 'nothing:4', '', ':']) expect(parseSelection(odd)).toBeNull();
});

test('what is written is sent on though the page is left, unless it is more than browsers send on', async () => {
  const asked: RequestInit[] = [];
  const before = globalThis.fetch;
  globalThis.fetch = async (_, init) => {
    asked.push(init ?? {});
    return new Response(null, { status: 204 });
  };
  try {
    await send('PUT', '/sites/skerryline.test/owner-notes', { decides: 'Runa' });
    await send('PUT', '/sites/skerryline.test/owner-rules', 'x'.repeat(70_000));
    await send('POST', '/recordings/1/files', new Blob(['a']));
  } finally {
    globalThis.fetch = before;
  }
  expect(asked.map((init) => init.keepalive ?? false)).toEqual([true, false, false]);
});

test('what a server says no to is told in its words, and else by its status', async () => {
  const before = globalThis.fetch;
  const said = async (answer: () => Promise<Response>) => {
    globalThis.fetch = answer;
    const why: unknown = await get('/recordings').then(() => null, (error: unknown) => error);
    return why instanceof Refused ? [why.status, why.message] : why;
  };
  const of = (status: number, body: string) => async () => new Response(body, { status, statusText: 'Odd' });
  try {
    expect(await said(of(409, '{"detail":"It is being read."}'))).toEqual([409, 'It is being read.']);
    // A proxy's page, half a document, a document of another sort.
    for (const body of ['<h1>Bad gateway</h1>', '{"detail":', '{"detail":7}', 'null', '']) {
      expect(await said(of(502, body)), body).toEqual([502, 'The server answered 502 Odd.']);
    }
    expect(await said(() => Promise.reject(new TypeError('failed')))).toEqual([0, expect.stringContaining('does not answer')]);
    // What was taken back is no failure of the server's.
    const taken = new AbortController();
    taken.abort();
    globalThis.fetch = () => Promise.reject(new DOMException('', 'AbortError'));
    await expect(send('POST', '/plan', {}, taken.signal)).rejects.toHaveProperty('name', 'AbortError');
  } finally {
    globalThis.fetch = before;
  }
});

test('what is out of date is asked anew, though its first answer is still on its way', async () => {
  const client = new Asking();
  const answers: ((said: string) => void)[] = [];
  const question = new QueryObserver(client, { queryKey: ['plan', 'proofs'], queryFn: () => new Promise<string>((resolve) => answers.push(resolve)) });
  const seen: (string | undefined)[] = [];
  const end = question.subscribe((now) => seen.push(now.data));
  expect(answers).toHaveLength(1);
  const done = client.invalidateQueries({ queryKey: ['plan'] });
  await expect.poll(() => answers.length).toBe(2);
  answers[0]?.('from before the change');
  answers[1]?.('from after it');
  await done;
  expect(question.getCurrentResult().data).toBe('from after it');
  expect(seen).not.toContain('from before the change');
  // One that has answered is asked again as well, and shows its old answer until then; another question is left alone.
  const again = client.invalidateQueries({ queryKey: ['plan'] });
  await expect.poll(() => answers.length).toBe(3);
  expect(question.getCurrentResult().data).toBe('from after it');
  answers[2]?.('newer still');
  await again;
  expect(question.getCurrentResult().data).toBe('newer still');
  await client.invalidateQueries({ queryKey: ['storage'] });
  expect(answers).toHaveLength(3);
  end();
});
