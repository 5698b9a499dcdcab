import { expect, test } from '@playwright/test';
import { readTracks } from '../../web/src/api/tracks';
import type { Analysis } from '../../web/src/api/queries';
import type { Job, MetricRow, RecordingHead, RecordingSummary, RequestRow, ScreenFrame } from '../../web/src/api/types';
import { CAUSES, METRICS, WORK, WORK_ORDER } from '../../web/src/parts/format';
import { frameAt, frameFlags, frameUrl, largestFrame } from '../../web/src/parts/frames';
import { ownerKey } from '../../web/src/parts/names';
import { moments, tickLabels, ticks, tickText, timeEnd } from '../../web/src/parts/time';
import { moveBy, zoomBy } from '../../web/src/parts/useSpan';
import { chainOf, initiatorWords } from '../../web/src/shell/margin/chain';
import { headline, subline } from '../../web/src/views/glance/words';
import { isOver, title } from '../../web/src/views/job/words';
import { COLUMNS, sorted } from '../../web/src/views/requests/columns';
import { durationOf, FACTS, filterRequests, waitOf } from '../../web/src/views/requests/filter';
import { grouped, union, type Verdict } from '../../web/src/views/requests/items';
import { barInWords } from '../../web/src/views/requests/words';
import { usual } from '../../web/src/views/weight/usual';
import { row } from './made';

const frame = (at_ms: number, file = `${at_ms}.jpg`): ScreenFrame => ({ at_ms, file }) as ScreenFrame;

interface Some {
  metrics?: Partial<Analysis['metrics']>;
  requests?: RequestRow[];
  frames?: ScreenFrame[];
  shifts?: { at_ms: number; score: number; had_recent_input: boolean }[];
  interactions?: { at_ms: number; duration_ms: number }[];
  long_tasks?: { start_ms: number; duration_ms: number }[];
}

/** A load of which only some things are known. */
function load(of: Some): Analysis {
  return {
    metrics: { fcp_ms: null, lcp_ms: null, dom_content_loaded_ms: null, load_ms: null, ...of.metrics },
    requests: of.requests ?? [],
    frames: of.frames ?? [],
    shifts: of.shifts ?? [],
    interactions: of.interactions ?? [],
    main_thread: of.long_tasks ? { long_tasks: of.long_tasks } : null,
  } as unknown as Analysis;
}

test.describe('time', () => {
  test('moments come in order of time, and what is not known is no moment', () => {
    expect(moments(load({ metrics: { fcp_ms: 900, lcp_ms: 2500, load_ms: 1800 } }))).toEqual([
      { name: 'FCP', at: 900 }, { name: 'load', at: 1800 }, { name: 'LCP', at: 2500 },
    ]);
    expect(moments(load({}))).toEqual([]);
  });

  test('the axis ends after the last thing that happened, whatever it was', () => {
    const requests = [row(0, { end_ms: 400 }), row(1, { start_ms: 700, end_ms: null })];
    const frames = [frame(0), frame(1_000)];
    expect(timeEnd(load({ requests }))).toBeCloseTo(721);
    expect(timeEnd(load({ requests, metrics: { load_ms: 800 } }))).toBeCloseTo(824);
    expect(timeEnd(load({ requests, frames }))).toBeCloseTo(1_030);
    expect(timeEnd(load({ requests, frames, interactions: [{ at_ms: 1_900, duration_ms: 100 }] }))).toBeCloseTo(2_060);
    expect(timeEnd(load({ requests, frames, long_tasks: [{ start_ms: 0, duration_ms: 60 }, { start_ms: 2_900, duration_ms: 100 }] }))).toBeCloseTo(3_090);
    // An empty load still has an axis.
    expect(timeEnd(load({}))).toBeCloseTo(103);
  });

  test('no time on the axis runs into another, or out of it', () => {
    for (const [from, to, width] of [[0, 9_000, 700], [3_997.1, 3_999.9, 420], [12_000.2, 12_009, 260], [0, 40, 1_500]] as const) {
      const span = { from, to };
      const labels = tickLabels(span, width);
      expect(labels.length).toBeGreaterThanOrEqual(2);
      let before = 0;
      for (const { at, text, anchor } of labels) {
        // The font's figures are 6.1 px wide at this size.
        const [x, long] = [((at - from) / (to - from)) * width, text.length * 6.1];
        const left = anchor === 'start' ? x : anchor === 'end' ? x - long : x - long / 2;
        expect(left).toBeGreaterThanOrEqual(before - 0.5);
        before = left + long;
      }
      expect(before).toBeLessThanOrEqual(width + 0.5);
    }
  });

  test('ticks are round, inside the stretch, and never crowd', () => {
    for (const [from, to, width] of [[0, 4_500, 900], [1_230, 1_250, 300], [0, 2, 2_000], [0, 60_000, 120]] as const) {
      const at = ticks({ from, to }, width);
      expect(at.length).toBeGreaterThan(1);
      expect(at.length).toBeLessThanOrEqual(11);
      for (const t of at) expect(t >= from && t <= to).toBe(true);
      const step = (at[1] as number) - (at[0] as number);
      for (let i = 1; i < at.length; i++) expect((at[i] as number) - (at[i - 1] as number)).toBeCloseTo(step, 6);
      expect([1, 2, 5]).toContain(Math.round(step / 10 ** Math.floor(Math.log10(step) + 1e-9)));
      // Two neighbours never read the same.
      const texts = at.map((t) => tickText(t, { from, to }));
      expect(new Set(texts).size).toBe(texts.length);
    }
  });

  test('a tick says as much as its stretch needs', () => {
    expect(tickText(1.25, { from: 0, to: 3 })).toBe('1.25 ms');
    expect(tickText(6.5, { from: 0, to: 10 })).toBe('6.5 ms');
    expect(tickText(1_200, { from: 900, to: 1_900 })).toBe('1,200 ms');
    expect(tickText(0, { from: 0, to: 5_000 })).toBe('0 s');
    expect([1_000, 1_500, 1_250].map((t) => tickText(t, { from: 0, to: 5_000 }))).toEqual(['1 s', '1.5 s', '1.25 s']);
  });

  test('a stretch moves by a share of itself and zooms about its middle, and never leaves the load', () => {
    expect(moveBy({ from: 200, to: 400 }, 0.5, 1000)).toEqual({ from: 300, to: 500 });
    expect(moveBy({ from: 200, to: 400 }, -2, 1000)).toEqual({ from: 0, to: 200 });
    expect(moveBy({ from: 700, to: 900 }, 1, 1000)).toEqual({ from: 800, to: 1000 });
    expect(zoomBy({ from: 200, to: 400 }, 0.5, 1000)).toEqual({ from: 250, to: 350 });
    expect(zoomBy({ from: 200, to: 400 }, 100, 1000)).toEqual({ from: 0, to: 1000 });
  });
});

test.describe('frames', () => {
  const frames = [frame(0), frame(500), frame(910), frame(2_000), frame(2_600)];

  test('the picture of a moment is the last one before it', () => {
    expect(frameAt(frames, 909)?.at_ms).toBe(500);
    expect(frameAt(frames, 910)?.at_ms).toBe(910);
    expect(frameAt(frames, 99_999)?.at_ms).toBe(2_600);
    // Before the first picture there is only the first.
    expect(frameAt([frame(40), frame(80)], 10)?.at_ms).toBe(40);
    expect(frameAt([], 10)).toBeUndefined();
  });

  test('the largest element is seen on the first picture from its paint on', () => {
    expect(largestFrame(load({ frames, metrics: { lcp_ms: 1_999.5 } }))?.at_ms).toBe(2_000);
    // A picture a hair before its paint is the paint's own.
    expect(largestFrame(load({ frames, metrics: { lcp_ms: 2_000.8 } }))?.at_ms).toBe(2_000);
    expect(largestFrame(load({ frames, metrics: { lcp_ms: 9_000 } }))?.at_ms).toBe(2_600);
    expect(largestFrame(load({ frames }))).toBeUndefined();
  });

  test('a mark stands on the first of the shown pictures that has it, and once', () => {
    const shifts = [
      { at_ms: 950, score: 0.2, had_recent_input: false },
      { at_ms: 1_500, score: 0.1, had_recent_input: false },
      { at_ms: 1_000, score: 0.3, had_recent_input: true },
      { at_ms: 100, score: 0.001, had_recent_input: false },
    ];
    const of = load({ frames, shifts, metrics: { fcp_ms: 905, lcp_ms: 2_001 } });
    expect(frameFlags(of, frames)).toEqual([[], [], ['FCP'], ['LCP', 'shift'], []]);
    // Of a strip that shows fewer, the next one carries it; a gap in the strip carries nothing.
    expect(frameFlags(of, [frames[0], undefined, frames[4]])).toEqual([[], [], ['FCP', 'LCP', 'shift']]);
    expect(frameFlags(load({ frames, metrics: { lcp_ms: 9_999 } }), frames).flat()).toEqual([]);
  });

  test('the address of a picture survives any file name and names the picture', () => {
    const picture = (file: string, hash: string) => ({ at_ms: 0, file, hash, complete: null, changed: [] });
    expect(frameUrl(3, 2, picture('00 12.jpg', ''))).toBe('/api/recordings/3/loads/2/frames/00%2012.jpg');
    expect(frameUrl(3, 2, picture('../x?y', ''))).toBe('/api/recordings/3/loads/2/frames/..%2Fx%3Fy');
    expect(frameUrl(3, 2, picture('0012.jpg', '3f9a'))).toBe('/api/recordings/3/loads/2/frames/0012.jpg?is=3f9a');
  });
});

test.describe('who asked for whom', () => {
  const by = (kind: RequestRow['initiator']['kind'], url: string | null = null, line: number | null = null) =>
    row(0, { initiator: { ...row(0).initiator, kind, url, line } });

  test('the initiator in a sentence', () => {
    expect(initiatorWords(by('parser', null, 12))).toBe('Found in the document, line 12.');
    expect(initiatorWords(by('parser'))).toBe('Found in the document.');
    expect(initiatorWords(by('script', 'http://a.test/b/slider.js?v=1'))).toBe('Asked for by slider.js.');
    expect(initiatorWords(by('script'))).toBe('Asked for by a script.');
    expect(initiatorWords(by('style', 'http://a.test/main.css'))).toBe('Named in main.css.');
    expect(initiatorWords(by('style'))).toBe('Named in a stylesheet.');
    expect(initiatorWords(by('preload'))).toBe('Preloaded.');
    expect(initiatorWords(by('redirect'))).toBe('Reached by a redirect.');
    expect(initiatorWords(by('navigation'))).toBe('The navigation itself.');
    expect(initiatorWords(by('unknown'))).toContain('not known');
  });

  test('the chain leads from the document down, and a ring of askers ends', () => {
    const rows = [row(0), row(1, { asked_by: 0 }), row(2, { asked_by: 1 }), row(3, { asked_by: 4 }), row(4, { asked_by: 3 }), row(5, { asked_by: 99 })];
    const chain = (id: number) => chainOf(rows, rows[id] as RequestRow).map((r) => r.id);
    expect(chain(2)).toEqual([0, 1, 2]);
    expect(chain(0)).toEqual([0]);
    expect(chain(3)).toEqual([4, 3]);
    expect(chain(5)).toEqual([5]);
  });
});

test.describe('rows of the waterfall', () => {
  test('a bar says everything that its form says', () => {
    expect(barInWords(row(1))).toBe('script; asked for at 10 ms; last byte at 210 ms');
    expect(barInWords(row(1, { kind: 'style', render_blocking: 'blocking', released_ms: 1_400, on_path: true, cache: 'service_worker' }))).toBe(
      'style; asked for at 10 ms; last byte at 210 ms; holds up rendering until 1.40 s; on the path to the largest paint; from the service worker cache',
    );
    expect(barInWords(row(1, { end_ms: null, failed: 'refused' }))).toBe('script; asked for at 10 ms; never finished; failed: refused');
  });

  test('groups add up to what is in them, heaviest first', () => {
    const rows = [
      row(0, { kind: 'document', transferred_bytes: 9_000 }),
      row(1, { host: 'cdn.test', transferred_bytes: 40_000, owner: { name: 'moor', kind: 'plugin' } }),
      row(2, { host: 'cdn.test', transferred_bytes: null, unpacked_bytes: null, end_ms: null, start_ms: 900, owner: { name: 'moor', kind: 'third_party' } }),
      row(3, { host: null, transferred_bytes: 0, owner: { name: 'moor', kind: 'plugin' } }),
    ].map((r) => ({ row: r }));
    expect(grouped(rows, '')).toBe(rows);
    for (const by of ['owner', 'domain', 'kind'] as const) {
      const items = grouped(rows, by);
      const heads = items.filter((i) => 'head' in i);
      expect(heads.reduce((sum, h) => sum + h.count, 0)).toBe(rows.length);
      expect(heads.reduce((sum, h) => sum + h.transferred, 0)).toBe(49_000);
      expect(items.length).toBe(rows.length + heads.length);
      // After each head come as many rows as it counts.
      for (let at = 0; at < items.length;) {
        const head = items[at] as (typeof heads)[number];
        expect('head' in head).toBe(true);
        expect(items.slice(at + 1, at + 1 + head.count).every((i) => 'row' in i)).toBe(true);
        at += 1 + head.count;
      }
    }
    const domains = grouped(rows, 'domain').filter((i) => 'head' in i);
    expect(domains.map((d) => d.head)).toEqual(['cdn.test', 'www.skerryline.test', 'no host']);
    // A request that never ended reaches to its start at least.
    expect(domains[0]).toMatchObject({ count: 2, transferred: 40_000, unpacked: 3_000, from: 10, to: 900 });
    // Two owners of one name are two groups.
    const owners = grouped(rows, 'owner').filter((i) => 'head' in i);
    expect(owners.filter((o) => o.head === 'moor').map((o) => o.count).toSorted()).toEqual([1, 2]);
  });

  test('two visits side by side hold every request of both once', () => {
    const here = load({ requests: [row(0), row(1), row(2)] });
    const other = load({ requests: [row(0, { transferred_bytes: 90 }), row(7, { url: 'http://a.test/beacon' })] });
    other.requests[1] = row(1, { url: 'http://a.test/beacon' });
    const verdict = (first: number | null, again: number | null) => ({ first, again, outcome: 'again', why: '' }) as unknown as Verdict;
    const verdicts = [verdict(1, 0), verdict(null, 1)];
    const both = union(here, other, verdicts, true);
    expect(both.map((i) => i.row.id)).toEqual([1, -2, 0, 2]);
    expect(both[0]?.again?.transferred_bytes).toBe(90);
    expect(both[1]?.row.url).toBe('http://a.test/beacon');
    expect(both[2]?.again).toBeUndefined();
    // Seen from the return visit, the sides change places.
    const back = union(other, here, verdicts, false);
    expect(back.map((i) => [i.row.id, i.again?.id])).toEqual([[0, 1], [1, undefined]]);
    // While the other visit is still on its way, this one is there already.
    expect(union(here, undefined, undefined, true).map((i) => i.row.id)).toEqual([0, 1, 2]);
  });

  test('every column has a text for a row of which nothing is known, and orders any rows', () => {
    const bare = row(3, {
      host: null, status: null, protocol: null, priority: null, final_priority: null, sent_ms: null, first_byte_ms: null, end_ms: null,
      transferred_bytes: null, unpacked_bytes: null, connection: null, initiator: { ...row(0).initiator, kind: 'unknown', url: null },
    });
    const full = row(1, { final_priority: 'Low', cache: 'service_worker', initiator: { ...row(0).initiator, kind: 'script', url: 'http://a.test/x/deck.js?1' } });
    for (const column of COLUMNS) {
      expect(column.text(bare, 0)).not.toBe('');
      expect(column.text(bare, 0)).not.toContain('null');
      expect(column.how).not.toBe('');
      for (const by of [column.id, `-${column.id}`]) {
        const ids = sorted([bare, full, row(2)], by).map((r) => r.id);
        expect(ids.toSorted()).toEqual([1, 2, 3]);
        if (column.key(bare) === null) expect(ids.at(-1)).toBe(3);
      }
    }
    const text = (id: string) => COLUMNS.find((c) => c.id === id)?.text(full, 4_000);
    expect(text('share')).toBe('25.0 %');
    expect(text('priority')).toBe('High → Low');
    expect(text('cache')).toBe('service worker');
    expect(text('by')).toBe('deck.js');
    expect(text('wait')).toBe('100 ms');
  });

  test('a wait is never under nothing, and what has no end has no duration', () => {
    expect(waitOf(row(0, { sent_ms: 50, first_byte_ms: 40 }))).toBe(0);
    expect(waitOf(row(0, { sent_ms: null }))).toBeNull();
    expect(durationOf(row(0, { end_ms: null }))).toBeNull();
  });

  test('each fact that the help names does let some rows through and others not', () => {
    const rows = [
      row(0, { kind: 'document', on_path: true, render_blocking: 'blocking', priority: 'high', status: 404, failed: 'gone', start_ms: 100, transferred_bytes: 60_000, unpacked_bytes: 300_000, end_ms: 900, first_byte_ms: 700, sent_ms: 100 }),
      row(1, { owner: { name: 'deck-slider', kind: 'plugin' }, host: 'static.skerryline.test', cache: 'disk', placement: 'hidden', initiator: { ...row(0).initiator, kind: 'script', url: 'http://a.test/slider.js' }, protocol: 'http/1.1', start_ms: 5_000, priority: 'low' }),
      row(2, { placement: 'below_fold', kind: 'image', protocol: 'http/1.1', start_ms: 5_000, priority: 'low', sent_ms: 5_000, first_byte_ms: 5_001, end_ms: 5_002 }),
    ];
    for (const fact of FACTS) {
      const left = filterRequests(rows, fact);
      expect(left.length, fact).toBeGreaterThan(0);
      expect(left.length, fact).toBeLessThan(rows.length);
      if (!/[<>]/.test(fact)) expect(filterRequests(rows, `-${fact}`).length, fact).toBe(rows.length - left.length);
    }
  });
});

function recording(more: Partial<RecordingHead> = {}): RecordingHead {
  return {
    id: 1, site: 'skerryline.test', page: 'Home', url: 'http://www.skerryline.test/', source: 'recording',
    conditions: { name: 'Phone', mobile: true } as RecordingHead['conditions'], browser: null, recorded_at: '2026-11-24T09:14:00Z', imported_from: null,
    summary: null, loads: [1, 2, 3].map((number) => ({ number, visit: 'first' as const, failed: null, has_data: true })),
    wanted_loads: 3, ended: 'done', blocked: [], machine: null, thinned_at: null,
    trial_of: null, ...more,
  };
}

const metric = (name: MetricRow['metric'], median: number, rating: MetricRow['rating']): MetricRow => ({ metric: name, median, values: [median], target: 1, limit: 2, rating });

const summary = (rows: MetricRow[], more: Partial<RecordingSummary> = {}): RecordingSummary => ({
  rows, representative: 1, lcp_spread: null, pace: null, dom_content_loaded_ms: null, load_ms: null, return_visits: 0, return_rows: [], return_representative: null, ...more,
});

test.describe('what a recording comes to', () => {
  test('the headline speaks of the largest paint and of the device', () => {
    const at = (rating: MetricRow['rating']) => summary([metric('lcp', 4_310, rating)]);
    expect(headline(recording({ summary: at('past') }))).toBe('Slow on a phone: the largest paint comes at 4.31 s');
    expect(headline(recording({ summary: at('near'), conditions: { mobile: false } as RecordingHead['conditions'] }))).toBe('Not quite in time on a laptop: the largest paint comes at 4.31 s');
    expect(headline(recording({ summary: at('within'), conditions: null, source: 'har_and_trace' }))).toBe('In good time: the largest paint comes at 4.31 s');
  });

  test('a file without paints, and one that tells nothing, say so', () => {
    const har = { source: 'har' as const, conditions: null };
    expect(headline(recording({ ...har, summary: summary([metric('weight', 1_250_000, 'near')]) }))).toBe('1.25 MB over the line; paints are not in this file');
    expect(headline(recording({ ...har, summary: summary([]) }))).toBe('What this file tells');
    expect(subline(recording({ ...har, imported_from: 'quay.har', summary: summary([metric('weight', 1, 'within')]) }))).toBe('Of 1 measure, none is past its limit. Read from quay.har.');
  });

  test('a recording whose loads all failed claims nothing', () => {
    const failed = recording({ loads: [{ number: 1, visit: 'first', failed: 'The browser died.', has_data: true }] });
    expect(headline(failed)).toBe('No load of it counts');
    expect(subline(failed)).toContain('nothing is summed up');
  });

  test('measures out of range are counted, and how far the loads agree', () => {
    const rows = [metric('lcp', 1, 'past'), metric('fcp', 1, 'past'), metric('tbt', 1, 'near'), metric('cls', 1, 'within')];
    expect(subline(recording({ summary: summary(rows, { lcp_spread: 0.031 }) }))).toBe(
      'Of 4 measures, 2 are past the limit and 1 near it. Median of 3 first visits; their largest paints agree to within 4 %.',
    );
    const one = recording({ summary: summary(rows.slice(0, 1), { return_visits: 1 }), loads: [
      { number: 1, visit: 'first', failed: null, has_data: true }, { number: 2, visit: 'return', failed: null, has_data: true },
    ] });
    expect(subline(one)).toBe('Of 1 measure, 1 is past the limit. One load: one number lies, so record several before you trust it. The hollow mark is the return visits’ median.');
  });
});

test.describe('recordings under way', () => {
  const job = (state: Job['state']) => ({ id: 1, state }) as Job;

  test('what is over is over', () => {
    expect((['queued', 'running', 'done', 'failed', 'cancelled'] as const).map((s) => isOver(job(s)))).toEqual([false, false, true, true, true]);
  });

  test('the title counts what is left', () => {
    expect(title(null)).toBe('Recording');
    expect(title([])).toBe('Recording');
    expect(title([job('running')])).toBe('Recording');
    expect(title([job('failed')])).toBe('The recording failed');
    expect(title([job('cancelled')])).toBe('The recording was cancelled');
    expect(title([job('done'), job('failed'), job('queued'), job('running')])).toBe('Recording: 2 of 4 done');
    expect(title([job('done'), job('cancelled')])).toBe('2 recordings, all over');
  });
});

test('pages are set side by side with those recorded under the same conditions', () => {
  const phone = { name: 'Phone' } as RecordingHead['conditions'];
  const laptop = { name: 'Laptop' } as RecordingHead['conditions'];
  const full = summary([]);
  const here = recording({ id: 1, conditions: phone, summary: full });
  const others = [
    here,
    recording({ id: 2, page: 'Log', conditions: laptop, summary: full }),
    recording({ id: 3, page: 'Log', conditions: phone, summary: full }),
    recording({ id: 4, page: 'Log', conditions: phone, summary: full }),
    recording({ id: 5, page: 'Berths', conditions: laptop, summary: full }),
    recording({ id: 6, page: 'Failed', conditions: phone, summary: null }),
    recording({ id: 7, page: 'Elsewhere', site: 'other.test', conditions: phone, summary: full }),
    recording({ id: 8, conditions: phone, summary: full }),
  ];
  // The list is newest first: of two under the same conditions the newer one stays.
  expect(usual(others, here)).toEqual([1, 3, 5]);
  const many = Array.from({ length: 30 }, (_, i) => recording({ id: 100 + i, page: `Page ${i}`, summary: full }));
  expect(usual(many, here)).toHaveLength(8);
});

test('owners of one name are told apart by their kind', () => {
  expect(ownerKey({ name: 'moor', kind: 'plugin' })).not.toBe(ownerKey({ name: 'moor', kind: 'third_party' }));
});

test('every metric, cause and kind of work has words of its own', () => {
  for (const names of [Object.values(METRICS).map((m) => m.words), Object.values(CAUSES), WORK_ORDER.map((k) => WORK[k].words)]) {
    expect(new Set(names).size).toBe(names.length);
    expect(names.every((n) => n.length > 2)).toBe(true);
  }
});

test('columns that end early are refused, not read as something else', () => {
  const head = new TextEncoder().encode(JSON.stringify({ labels: [], owners: [], kinds: [], tasks: 4, stacks: 0 }));
  const bytes = new ArrayBuffer(4 + Math.ceil((head.length + 4) / 8) * 8 - 4);
  new DataView(bytes).setUint32(0, bytes.byteLength - 4, true);
  new Uint8Array(bytes, 4).fill(32);
  new Uint8Array(bytes, 4).set(head);
  expect(() => readTracks(bytes)).toThrow(RangeError);
});
