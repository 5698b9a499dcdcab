import { expect, test } from '@playwright/test';
import type { Analysis } from '../../web/src/api/queries';
import type { Brings, Compared, Costs, Job, Measure, OwnerGain, OwnerRow, OwnersView, RecordingHead, ScreenFrame, ServerAnswer, SpanKind, SpanRow, Trial } from '../../web/src/api/types';
import { gain as gainOf, inShort, moves, tellsPaints } from '../../web/src/parts/forecast';
import { frameAt, frameFlags, frameUrl, largestFrame } from '../../web/src/parts/frames';
import { moments, tickLabels, ticks, tickText, timeEnd } from '../../web/src/parts/time';
import { unfolded } from '../../web/src/parts/unfolded';
import { chainOf, initiatorWords } from '../../web/src/shell/margin/chain';
import { headline, subline } from '../../web/src/views/glance/words';
import { isOver, title as jobTitle } from '../../web/src/views/job/words';
import { account, gain, total, unexplained } from '../../web/src/views/owners/account';
import { grouped, union, type Item, type Verdict } from '../../web/src/views/requests/items';
import { amount, measureWords } from '../../web/src/views/server/amounts';
import { extent, lanes, stretches } from '../../web/src/views/server/lanes';
import { openQuestion, title as trialTitle } from '../../web/src/views/trials/words';
import { usual } from '../../web/src/views/weight/usual';
import { row } from './made';

const frame = (at_ms: number): ScreenFrame => ({ at_ms, file: `${at_ms}.jpg`, hash: `h${at_ms}`, complete: 0, changed: [] }) as unknown as ScreenFrame;
const site = { name: 'site', kind: 'site' } as const;
const deck = { name: 'deck-slider', kind: 'plugin' } as const;

/** A load of which only some things matter. */
function load(more: Record<string, unknown> = {}): Analysis {
  const metrics = { fcp_ms: 800, lcp_ms: 1_900, dom_content_loaded_ms: 1_200, load_ms: null };
  return { metrics, requests: [], interactions: [], main_thread: null, frames: [], shifts: [], ...more } as unknown as Analysis;
}

test('vital moments stand in order of time, and what did not happen is not among them', () => {
  expect(moments(load())).toEqual([{ name: 'FCP', at: 800 }, { name: 'DCL', at: 1_200 }, { name: 'LCP', at: 1_900 }]);
});

test('a time axis ends after the last thing that there is to see', () => {
  expect(timeEnd(load())).toBeCloseTo(1_900 * 1.03);
  expect(timeEnd(load({ requests: [row(0, { end_ms: 4_000 }), row(1, { start_ms: 4_100, end_ms: null })] }))).toBeCloseTo(4_100 * 1.03);
  expect(timeEnd(load({ interactions: [{ at_ms: 5_000, duration_ms: 320 }] }))).toBeCloseTo(5_320 * 1.03);
  expect(timeEnd(load({ main_thread: { long_tasks: [{ start_ms: 2_000, duration_ms: 900 }] } }))).toBeCloseTo(2_900 * 1.03);
  const nothing = { fcp_ms: null, lcp_ms: null, dom_content_loaded_ms: null, load_ms: null };
  expect(timeEnd(load({ metrics: nothing })), 'of a load that tells nothing there is an axis still').toBeCloseTo(103);
});

test('an axis is written as finely as its stretch is long', () => {
  expect(tickText(1.5, { from: 0, to: 3 })).toBe('1.50 ms');
  expect(tickText(4.25, { from: 0, to: 10 })).toBe('4.3 ms');
  expect(tickText(840, { from: 0, to: 1_400 })).toBe('840 ms');
  expect(tickText(0, { from: 0, to: 6_000 })).toBe('0 s');
  expect(['2000', '2500', '2250'].map((at) => tickText(Number(at), { from: 0, to: 6_000 }))).toEqual(['2 s', '2.5 s', '2.25 s']);
});

test('no two times of an axis run into each other, and none leaves it', () => {
  for (const [to, width] of [[6_000, 900], [6_000, 140], [11, 240], [1_400, 320], [90_000, 200]] as const) {
    const labels = tickLabels({ from: 0, to }, width);
    expect(labels.length).toBeGreaterThan(0);
    expect(labels.length).toBeLessThanOrEqual(ticks({ from: 0, to }, width).length);
    let right = -1;
    for (const { at, text, anchor } of labels) {
      const [x, wide] = [(at / to) * width, text.length * 6.2];
      const left = anchor === 'start' ? x : anchor === 'end' ? x - wide : x - wide / 2;
      expect(left, `${text} of ${to} in ${width} px`).toBeGreaterThan(right);
      right = left + wide;
      expect(right).toBeLessThanOrEqual(width + 1);
    }
  }
});

test('the picture of a moment is the last before it, and before all the first', () => {
  const frames = [frame(300), frame(800), frame(1_900)];
  expect(frameAt(frames, 799)?.at_ms).toBe(300);
  expect(frameAt(frames, 800)?.at_ms).toBe(800);
  expect(frameAt(frames, 10)?.at_ms).toBe(300);
  expect(frameAt([], 10)).toBeUndefined();
  expect(largestFrame(load({ frames }))?.at_ms).toBe(1_900);
  expect(largestFrame(load({ frames: frames.slice(0, 2) }))?.at_ms, 'none shows it: the last').toBe(800);
  expect(frameUrl(3, 2, frames[1] as ScreenFrame)).toBe('/api/recordings/3/loads/2/frames/800.jpg?is=h800');
  expect(frameUrl(3, 2, { ...frame(5), file: 'a b#.jpg', hash: null } as unknown as ScreenFrame)).toBe('/api/recordings/3/loads/2/frames/a%20b%23.jpg');
});

test('a paint and a shift are flagged once, on the first picture that shows them', () => {
  const shifts = [
    { at_ms: 850, score: 0.1, had_recent_input: false },
    { at_ms: 870, score: 0.2, had_recent_input: false },
    { at_ms: 1_850, score: 0.004, had_recent_input: false },
    { at_ms: 1_860, score: 0.3, had_recent_input: true },
  ];
  const frames = [frame(300), frame(800), frame(900), frame(1_900)];
  expect(frameFlags(load({ shifts }), frames)).toEqual([[], ['FCP'], ['shift'], ['LCP']]);
  expect(frameFlags(load({ shifts }), [frame(300), undefined, frame(2_000)])).toEqual([[], [], ['FCP', 'LCP', 'shift']]);
  expect(frameFlags(load(), [frame(300)]), 'none of them shows one').toEqual([[]]);
});

const brings = (metric: Brings['metric'], before: number, after: number) => ({ metric, before, after }) as Brings;

test('what a fix brings is told by the largest paint, or else by what it moves most plainly', () => {
  expect(inShort([brings('lcp', 2_000, 1_580), brings('weight', 9_000, 2_000)])).toBe('−420 ms');
  expect(inShort([brings('lcp', 2_000, 1_995), brings('cls', 0.3, 0.1)])).toBe('CLS −0.200');
  expect(inShort([brings('lcp', 2_000, 1_995), brings('fcp', 900, 895)])).toBe('no change');
  expect(inShort([brings('weight', 90_000, 20_000)]), 'a HAR tells no paints').toBe('Weight −70 kB');
  expect(inShort([brings('weight', 20_000, 90_000)]), 'heavier alone says nothing').toBe('not known');
  expect(inShort([])).toBe('not known');
  expect([brings('weight', 5_000, 4_100), brings('cls', 0.01, 0.012), brings('tbt', 60, 45)].map(moves)).toEqual([false, false, true]);
  expect(gainOf([brings('lcp', 2_000, 1_580)])).toBe(420);
  expect(gainOf([brings('lcp', 2_000, 2_300)]), 'slower is no gain').toBe(0);
  expect(gainOf(undefined)).toBe(0);
  expect(tellsPaints([brings('weight', 1, 2)])).toBe(false);
  expect(tellsPaints([brings('fcp', 1, 2)])).toBe(true);
});

test('a tree is open where most of the time went, and a closed branch hides all below it', () => {
  const nodes = [
    { parent: null, ms: 100 },
    { parent: 0, ms: 80 },
    { parent: 1, ms: 70 },
    { parent: 0, ms: 5 },
    { parent: 3, ms: 5 },
  ];
  const shown = (turned: number[]) => unfolded(nodes, (n) => n.ms, new Set(turned)).map((r) => r.index);
  expect(shown([])).toEqual([0, 1, 2, 3]);
  expect(shown([3]), 'the small one is opened by hand').toEqual([0, 1, 2, 3, 4]);
  expect(shown([0])).toEqual([0]);
  expect(shown([0, 3]), 'what is open below a closed one stays hidden').toEqual([0]);
  expect(unfolded(nodes, (n) => n.ms, new Set()).map((r) => [r.depth, r.has, r.open])).toEqual([[0, true, true], [1, true, true], [2, false, true], [1, true, false]]);
});

test('who asked for whom leads back to the document, and never round', () => {
  const rows = [row(0, { kind: 'document' }), row(1, { asked_by: 0 }), row(2, { asked_by: 1 }), row(3, { asked_by: 4 }), row(4, { asked_by: 3 }), row(5, { asked_by: 77 })];
  const chain = (id: number) => chainOf(rows, rows[id] ?? row(id)).map((r) => r.id);
  expect(chain(2)).toEqual([0, 1, 2]);
  expect(chain(3), 'two that ask for each other').toEqual([4, 3]);
  expect(chain(5), 'who asked is not in the load').toEqual([5]);
  const by = (kind: 'parser' | 'script' | 'style' | 'unknown', url: string | null, line: number | null = null) => initiatorWords(row(0, { initiator: { kind, url, line, stack: [] } }));
  expect(by('parser', 'http://a.test/', 12)).toBe('Found in the document, line 12.');
  expect(by('parser', null)).toBe('Found in the document.');
  expect(by('script', 'http://a.test/js/slider.js?v=3')).toBe('Asked for by slider.js.');
  expect(by('style', null)).toBe('Named in a stylesheet.');
  expect(by('unknown', null)).toBe('What asked for it is not known.');
});

test('groups are ordered by their weight and keep the order within; owners of one name are two', () => {
  const items = [
    { row: row(0, { owner: site, transferred_bytes: 1_000 }) },
    { row: row(1, { owner: deck, transferred_bytes: 9_000, unpacked_bytes: null }) },
    { row: row(2, { owner: site, transferred_bytes: 500, end_ms: null }) },
    { row: row(3, { owner: { name: 'site', kind: 'plugin' }, transferred_bytes: null }) },
  ];
  const told = (list: Item[]) => list.map((i) => ('row' in i ? i.row.id : `${i.head} ${i.count} ${i.transferred} ${i.from}-${i.to}`));
  expect(told(grouped(items, 'owner'))).toEqual(['deck-slider 1 9000 10-210', 1, 'site 2 1500 0-200', 0, 2, 'site 1 0 30-230', 3]);
  expect(told(grouped(items, ''))).toEqual([0, 1, 2, 3]);
  expect(told(grouped([{ row: row(0, { host: null }) }], 'domain'))).toEqual(['no host 1 1000 0-200', 0]);
});

test('both visits side by side: each request once, and those of the other visit alone under numbers of their own', () => {
  const [first, again] = [load({ requests: [row(0), row(1), row(2)] }), load({ requests: [row(0), row(1)] })];
  const verdicts = [
    { first: 0, again: 1, outcome: 'again', why: 'no header tells how long it may be kept' },
    { first: 1, again: null, outcome: 'only_then', why: '' },
    { first: null, again: 0, outcome: 'only_now', why: '' },
  ] as unknown as Verdict[];
  const of = (isFirst: boolean) => union(isFirst ? first : again, isFirst ? again : first, verdicts, isFirst).map((i) => [i.row.id, i.again?.id]);
  expect(of(true)).toEqual([[0, 1], [1, undefined], [-1, undefined], [2, undefined]]);
  expect(of(false)).toEqual([[1, 0], [-2, undefined], [0, undefined]]);
  expect(union(first, undefined, undefined, true).map((i) => i.row.id)).toEqual([0, 1, 2]);
});

const costs = (more: Partial<Costs>) => ({ requests: 2, transferred_bytes: 1_000, main_thread_ms: null, blocking_ms: null, server_ms: null, queries: null, path_ms: null, code_bytes: null, unused_bytes: null, ...more }) as Costs;

test('an owner’s account is a mean over all pages, and what no page tells is not known', () => {
  const own = { owner: deck, on: [costs({ main_thread_ms: 90, code_bytes: 1_000, unused_bytes: 960 }), null, costs({ code_bytes: 3_000, unused_bytes: 240 })], suggested: ['slider'] } as unknown as OwnerRow;
  const all = account(own, [0, 1, 2]);
  expect([all.pages, all.requests, all.thread, all.blocking]).toEqual([2, 4 / 3, 30, null]);
  expect(all.weight).toBeCloseTo(2_000 / 3);
  expect(all.unused).toBeCloseTo(0.3);
  expect(all.idle, 'on one page next to nothing of it is used').toBe(1);
  const one = account(own, [1]);
  expect([one.pages, one.weight, one.thread, one.unused, one.idle]).toEqual([0, 0, null, null, 0]);
  const sums = total([all, one]);
  expect([sums.thread, sums.blocking, sums.requests]).toEqual([30, null, 4 / 3]);
});

test('what is not told by any page is no mean', () => {
  const view = { pages: [{ unexplained_ms: 40 }, { unexplained_ms: null }] } as unknown as OwnersView;
  expect(unexplained(view, [0, 1])).toBe(20);
  expect(unexplained(view, [1])).toBeNull();
  const gains = [{ owner: deck, on: [[brings('lcp', 2_000, 1_700)], null, [brings('fcp', 900, 800)]] }] as unknown as OwnerGain[];
  expect(gain(gains, 'plugin deck-slider', [0, 1])).toBe(-150);
  expect(gain(gains, 'plugin deck-slider', [2]), 'its largest paint is not told').toBeNull();
  expect(gain(gains, 'site site', [0])).toBeNull();
});

const span = (kind: SpanKind, start_ms: number, duration_ms: number, more: Partial<SpanRow> = {}) => ({ kind, start_ms, duration_ms, depth: 1, owner: site, ...more }) as unknown as SpanRow;

test('spans lie in a lane an owner, in the order in which they begin', () => {
  const answer = { spans: [span('answer', 0, 900, { depth: 0 }), span('query', 10, 5), span('template', 20, 5, { owner: deck }), span('query', 30, 5)] } as unknown as ServerAnswer;
  expect(lanes(answer).map((l) => [l.key, l.spans.length])).toEqual([['site site', 2], ['plugin deck-slider', 1]]);
  expect(lanes({ spans: [] } as unknown as ServerAnswer)).toEqual([]);
});

test('thousands of short spans become as many stretches as there are pixels, and none of another kind', () => {
  const many = Array.from({ length: 5_000 }, (_, i) => span(i < 2_500 ? 'query' : 'other', i * 0.1, 0.05));
  const drawn = stretches(many, 1);
  expect(drawn.length).toBe(2);
  expect(drawn.map((s) => [s.kind, Math.round(s.from), Math.round(s.to)])).toEqual([['other', 250, 501], ['query', 0, 251]]);
  const apart = stretches([span('query', 0, 10), span('query', 40, 10), span('query', 42, 2)], 1);
  expect(apart.map((s) => [s.from, s.to]), 'what lies inside another is drawn with it').toEqual([[0, 10], [40, 50]]);
});

test('an answer is drawn from its request to its first byte, and further where its spans go on', () => {
  const told = (more: Partial<ServerAnswer>) => extent({ sent_ms: 100, first_byte_ms: 400, spans: [], ...more } as unknown as ServerAnswer);
  expect(told({})).toEqual({ from: 100, to: 400 });
  expect(told({ spans: [span('answer', 90, 500, { depth: 0 }), span('query', 100, 9_000, { depth: 5 })] })).toEqual({ from: 90, to: 590 });
  expect(told({ sent_ms: null, first_byte_ms: null }), 'nothing is known of it').toEqual({ from: 0, to: 1 });
});

test('what was counted is written in its own unit', () => {
  const of = (unit: Measure['unit'], value: number) => amount({ unit, name: 'x', long_name: null } as unknown as Measure, value);
  expect([of('ms', 4.567), of('ms', 1_234), of('bytes', -2_500), of('count', 9_999), of('count', 1_234_567), of('count', 2.5e9)]).toEqual(['4.57 ms', '1.23 s', '−2.5 kB', '9,999', '1.235 M', '2.500 G']);
  expect(measureWords({ unit: 'ms', name: 'wall_time_(ns)', long_name: null } as unknown as Measure)).toBe('wall time, in ms');
  expect(measureWords({ unit: 'count', name: 'n', long_name: 'Allocations' } as unknown as Measure)).toBe('Allocations');
});

const head = (id: number, page: string, conditions: string, more: Record<string, unknown> = {}) => ({ id, site: 's', page, conditions: { name: conditions, mobile: true }, summary: { rows: [] }, loads: [], source: 'recording', ...more }) as unknown as RecordingHead;

test('a page is held beside the newest of each other page, under the same conditions where there is one', () => {
  const here = head(1, 'Home', 'phone');
  const all = [head(2, 'Fleet', 'laptop'), head(3, 'Fleet', 'phone'), head(4, 'Fleet', 'phone'), head(5, 'Notice', 'laptop'), head(6, 'Home', 'phone'), head(7, 'Map', 'phone', { site: 't' }), head(8, 'Bare', 'phone', { summary: null })];
  expect(usual(all, here)).toEqual([1, 3, 5]);
});

test('a recording’s head says how fast it is, how sure that is, and what it does not tell', () => {
  const rows = [{ metric: 'lcp', rating: 'past', median: 4_210 }, { metric: 'cls', rating: 'near', median: 0.15 }, { metric: 'weight', rating: 'within', median: 900_000 }];
  const loads = [{ has_data: true, visit: 'first', failed: null }, { has_data: true, visit: 'first', failed: null }, { has_data: true, visit: 'again', failed: null }];
  const slow = head(1, 'Home', 'phone', { summary: { rows, lcp_spread: 0.081, return_visits: [] }, loads });
  expect(headline(slow)).toBe('Slow on a phone: the largest paint comes at 4.21 s');
  expect(subline(slow)).toBe('Of 3 measures, 1 is past the limit and 1 near it. Median of 2 first visits; their largest paints agree to within 9 %. The hollow mark is the return visits’ median.');
  const once = head(1, 'Home', 'phone', { summary: { rows: rows.slice(2) }, loads: loads.slice(0, 1) });
  expect(headline(once)).toBe('900 kB over the line; paints are not in this file');
  expect(subline(once)).toContain('one number lies');
  const failed = head(1, 'Home', 'phone', { summary: null, loads: [{ has_data: false, visit: 'first', failed: 'gone' }] });
  expect(headline(failed)).toBe('No load of it counts');
  expect(subline(failed)).toContain('Every load failed');
  const read = head(1, 'Home', 'phone', { conditions: null, source: 'har', imported_from: 'tides.har', summary: { rows }, loads });
  expect([headline(read), subline(read)]).toEqual(['Slow: the largest paint comes at 4.21 s', expect.stringContaining('Read from tides.har.')]);
});

test('jobs are told together, and a trial by its first edit', () => {
  const job = (state: Job['state']) => ({ state }) as Job;
  expect([jobTitle(null), jobTitle([job('failed')]), jobTitle([job('cancelled')]), jobTitle([job('done')])]).toEqual(['Recording', 'The recording failed', 'The recording was cancelled', 'Recording']);
  expect(jobTitle([job('done'), { state: 'running' } as unknown as Job])).toBe('Recording: 1 of 2 done');
  expect(jobTitle([job('done'), job('failed')])).toBe('2 recordings, all over');
  expect(isOver({ state: 'running' } as unknown as Job)).toBe(false);
  const trial = (edits: string[], by_hand: string[]) => ({ edits: edits.map((title) => ({ title })), by_hand }) as unknown as Trial;
  expect(trialTitle(trial(['Defer slider.js'], []))).toBe('Defer slider.js');
  expect(trialTitle(trial(['Defer slider.js', 'Drop gulls.js'], ['http://a.test/css/look.css?v=2']))).toBe('Defer slider.js, and 2 edits more');
  expect(trialTitle(trial([], ['http://a.test/css/look.css?v=2']))).toBe('look.css, by hand');
  expect(trialTitle(trial([], []))).toBe('Nothing');
  const compared = (more: Partial<Compared>) => ({ verdict: 'cannot_tell', loads_needed: null, ...more }) as Compared;
  expect(openQuestion(compared({ loads_needed: 14 }), 'cannot_tell', false)).toBe('14 loads might');
  expect(openQuestion(compared({ verdict: 'better' }), 'cannot_tell', true)).toBe('lower, but the page is broken');
  expect(openQuestion(compared({}), 'better', false)).toBe('');
});
