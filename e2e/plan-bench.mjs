// The bench of the plan: two hundred candidates over thirty recordings, opened and scrolled; and thirty fixes over
// six pages of the demo, of which one after the other is moved.
import { readFileSync } from 'node:fs';
import { chromium } from '@playwright/test';
import { folder, ms, percentile, serving } from './bench-support.mjs';

const PAGES = 30;
const FILES = 7;
const { address, taken, stop } = await serving(folder());
const browser = await chromium.launch({ executablePath: process.env.PHAINON_BROWSER ?? '/usr/bin/chromium-headless-shell', args: ['--no-sandbox'] });

/** A HAR of one page with scripts of its own that came unpacked: each is a candidate. */
function har(page) {
  const started = (at) => new Date(Date.UTC(2026, 10, 24, 9, 0, 0, at)).toISOString();
  const home = `https://www.many-pages.test/quay-${page}/`;
  const entry = (url, mime, at, text) => ({
    startedDateTime: started(at),
    time: 120,
    request: { method: 'GET', url, headers: [] },
    response: { status: 200, headers: [{ name: 'content-type', value: mime }], content: { size: text.length, mimeType: mime, text }, bodySize: text.length, headersSize: 200 },
    timings: { blocked: 4, dns: -1, connect: -1, send: 1, wait: 80, receive: 35 },
  });
  const text = (n) => Array.from({ length: 700 }, (_, i) => `export const buoy${page}x${n}x${i} = ${i};`).join('\n');
  const files = Array.from({ length: FILES }, (_, n) => entry(`${home}plugins/p${n}/file-${page}-${n}.js`, 'text/javascript', 3 * n + 3, text(n)));
  return Buffer.from(JSON.stringify({ log: { version: '1.2', entries: [entry(home, 'text/html', 0, '<h1>Quay</h1>'), ...files] } }));
}

async function timed(name, times, act) {
  const each = [];
  for (let i = 0; i < times; i++) {
    const start = performance.now();
    await act();
    each.push(performance.now() - start);
  }
  console.log(`${name}: first ${ms(each[0])}, median ${ms(percentile(each, 0.5))}, longest ${ms(Math.max(...each))} of ${times}`);
}

try {
  for (let page = 0; page < PAGES; page++) await taken(`quay-${page}.har`, har(page));
  const of = `${address}/api/sites/many-pages.test/plan`;
  const read = async (path) => (await fetch(`${of}/${path}`)).json();
  const [pages, candidates] = [await read('pages'), await read('candidates')];
  console.log(`${pages.length} pages, ${candidates.length} candidates`);
  await timed('asked of the server: candidates', 9, () => read('candidates'));
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
  await page.goto(`${address}/recordings`);
  await page.waitForLoadState('networkidle');
  await timed('the plan, from its address until its candidates are there', 7, async () => {
    await page.goto(`${address}/sites/many-pages.test/plan`);
    await page.waitForFunction(() => document.querySelectorAll('main tbody tr').length >= 10);
  });
  // From a click in the running program, with nothing of the plan asked for before.
  const clicks = [];
  for (let i = 0; i < 7; i++) {
    const fresh = await browser.newPage({ viewport: { width: 1280, height: 800 } });
    await fresh.goto(`${address}/recordings`);
    await fresh.waitForLoadState('networkidle');
    clicks.push(
      await fresh.evaluate(
        () =>
          new Promise((done) => {
            const began = performance.now();
            const look = () => requestAnimationFrame(() => (document.querySelectorAll('main tbody tr').length >= 10 ? done(performance.now() - began) : look()));
            document.querySelector('nav a[href$="/plan"]').click();
            look();
          }),
      ),
    );
    await fresh.close();
  }
  console.log(`the plan, from a click on “Plan”: median ${ms(percentile(clicks, 0.5))}, longest ${ms(Math.max(...clicks))} of 7`);
  const frames = await page.evaluate(async () => {
    const main = document.querySelector('main');
    const seen = [];
    let last = performance.now();
    for (let i = 0; i < 120; i++) {
      main.scrollBy(0, 60);
      await new Promise(requestAnimationFrame);
      seen.push(performance.now() - last);
      last = performance.now();
    }
    return seen;
  });
  console.log(`scrolling: median ${ms(percentile(frames, 0.5))} a frame, 95th percentile ${ms(percentile(frames, 0.95))}`);
  const demo = ['home-phone-on-the-move', 'timetable-phone-on-the-move', 'crossing-phone-on-the-move', 'booking-phone-on-the-move', 'home-home-laptop', 'timetable-home-laptop'];
  for (const name of demo) await taken(`${name}.phainon.zip`, readFileSync(new URL(`../demo/${name}.phainon.zip`, import.meta.url)));
  const plan = `${address}/api/sites/skerryline.test/plan`;
  const ask = async (path, body) => (await fetch(`${plan}/${path}`, { method: 'POST', headers: { 'content-type': 'application/json' }, body: JSON.stringify(body) })).json();
  const all = await (await fetch(`${plan}/candidates`)).json();
  const alone = await ask('alone', { edits: all.slice(0, 60).map((c) => c.fix.edit) });
  let edits = all.slice(0, 60).filter((_, i) => alone[i].brings.length).slice(0, 30).map((c) => c.fix.edit);
  await timed(`the line of ${edits.length} fixes over ${demo.length} pages, nothing known`, 1, () => ask('line', { edits }));
  const moves = [[18, 0], [25, 7], [20, 2], [4, 22], [29, 11], [3, 21], [19, 1], [27, 9], [8, 26]];
  const spent = { near: [], rest: [] };
  for (const [from, to] of moves) {
    edits = [...edits];
    edits.splice(to, 0, ...edits.splice(from, 1));
    // Eight rows around where it came to stand are in view.
    const first = Math.max(0, Math.min(to - 4, edits.length - 8));
    for (const [part, body] of [['near', { edits, steps: [first, first + 8] }], ['rest', { edits }]]) {
      const start = performance.now();
      await ask('line', body);
      spent[part].push(performance.now() - start);
    }
  }
  for (const [part, each] of Object.entries(spent)) console.log(`a fix moved by eighteen places, ${part}: median ${ms(percentile(each, 0.5))}, longest ${ms(Math.max(...each))} of ${each.length}`);
  // The same in the window: from the drop until the row stands there, and until no row in view has figures of before.
  for (const c of all.filter((c) => edits.some((edit) => JSON.stringify(edit) === JSON.stringify(c.fix.edit)))) {
    await ask('fixes', { edit: c.fix.edit, owner: c.owner, on_path_ms: c.on_path_ms, finding_key: c.finding_key, finding_title: c.finding_title, recording: c.recording, load: c.load });
  }
  await page.goto(`${address}/sites/skerryline.test/plan`);
  await page.getByRole('row', { name: /^30\. / }).waitFor();
  await page.waitForLoadState('networkidle');
  const seen = { moved: [], current: [] };
  for (const [from, to] of moves) {
    const took = await page.evaluate(
      async ([from, to]) => {
        const body = document.querySelector('tr[draggable]').parentElement;
        const [row, onto] = [body.rows[from], body.rows[to]];
        onto.scrollIntoView({ block: 'center' });
        const frame = () => new Promise(requestAnimationFrame);
        await frame();
        const drag = (on, type) => on.dispatchEvent(new DragEvent(type, { bubbles: true, dataTransfer: new DataTransfer() }));
        drag(row, 'dragstart');
        const began = performance.now();
        drag(onto, 'drop');
        while (body.rows[to] !== row) await frame();
        const moved = performance.now() - began;
        const view = document.querySelector('main').getBoundingClientRect();
        const inView = (r) => r.getBoundingClientRect().bottom > view.top && r.getBoundingClientRect().top < view.bottom;
        while ([...body.rows].some((r) => inView(r) && r.querySelector('.opacity-50'))) await frame();
        return { moved, current: performance.now() - began };
      },
      [from, to],
    );
    for (const [what, list] of Object.entries(seen)) list.push(took[what]);
    await page.waitForLoadState('networkidle');
  }
  for (const [what, each] of Object.entries(seen)) console.log(`in the window, ${what}: median ${ms(percentile(each, 0.5))}, longest ${ms(Math.max(...each))} of ${each.length}`);
} finally {
  await browser.close();
  stop();
}
