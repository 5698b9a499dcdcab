// The browser bench of the screens: a trace of 100 MB and a HAR of 2,000 requests, opened, moved and zoomed;
// a recording opened beside 50 others of 50 MB; the list of 2,000 recordings.
// Prints what it measured; `cargo xtask bench` runs it. PHAINON_BENCH_MB sets the trace's size,
// PHAINON_BENCH_BESIDE how many recordings of half of it lie beside.
import { chromium } from '@playwright/test';
import { execFileSync } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { folder, ms, percentile, root, serving } from './bench-support.mjs';

const megabytes = process.env.PHAINON_BENCH_MB ?? '100';
const data = folder();
const beside = Number(process.env.PHAINON_BENCH_BESIDE ?? 50);
const make = (size, name) => {
  const file = join(data, name);
  execFileSync('cargo', ['run', '--quiet', '--package', 'phainon-formats', '--example', 'make_trace', '--', String(size), file], { cwd: root, stdio: 'inherit' });
  return readFileSync(file);
};
const [whole, half] = [make(megabytes, 'trace.json'), make(Number(megabytes) / 2, 'half.json')];
const { address, taken, stop } = await serving(data);
const browser = await chromium.launch({ executablePath: process.env.PHAINON_BROWSER ?? '/usr/bin/chromium-headless-shell', args: ['--no-sandbox'] });
/** Time that the machine's host gave to others, and all time, since it was started. */
const stolen = () => {
  const all = readFileSync('/proc/stat', 'utf8').split('\n')[0].split(/\s+/).slice(1).map(Number);
  return [all[7], all.reduce((sum, n) => sum + n, 0)];
};
const atStart = stolen();
/** Imports a file while others ask for the list, and tells how long both had to wait. */
async function add(name, bytes) {
  const began = performance.now();
  // While one file is read, others are answered.
  const waits = [];
  const asking = { on: true };
  const asked = (async () => {
    while (asking.on) {
      const start = performance.now();
      await (await fetch(`${address}/api/recordings`)).json();
      waits.push(performance.now() - start);
      await new Promise((done) => setTimeout(done, 20));
    }
  })();
  const ids = await taken(name, bytes);
  const took = performance.now() - began;
  asking.on = false;
  await asked;
  console.log(`${name}: ${(bytes.length / 1e6).toFixed(0)} MB imported in ${(took / 1000).toFixed(1)} s; meanwhile the server answered ${waits.length} others, 95th percentile ${ms(percentile(waits, 0.95))}, longest ${ms(Math.max(...waits))}`);
  return ids[0];
}

/** A HAR of one or several pages, each of a document and some scripts. */
function har(pages, scripts) {
  const entry = (url, mime, at, page) => ({
    pageref: page,
    startedDateTime: new Date(Date.UTC(2026, 10, 24, 9, 0, 0, at)).toISOString(),
    time: 120,
    request: { method: 'GET', url, headers: [] },
    response: { status: 200, headers: [], content: { size: 9000, mimeType: mime }, bodySize: 3000 + (at % 2000), headersSize: 200 },
    timings: { blocked: 4, dns: -1, connect: -1, send: 1, wait: 80, receive: 35 },
  });
  const list = Array.from({ length: pages }, (_, n) => ({ id: `p${n}`, title: `Page ${n}`, startedDateTime: new Date(Date.UTC(2026, 10, 24, 9)).toISOString(), pageTimings: {} }));
  const entries = list.flatMap((page, n) => {
    const home = `https://shop.example/${pages > 1 ? `page-${n}/` : ''}`;
    const files = Array.from({ length: scripts }, (_, i) => entry(`https://shop.example/plugins/p${i % 30}/file-${i}.js`, 'text/javascript', 3 * i + 3, page.id));
    return [entry(home, 'text/html', 0, page.id), ...files];
  });
  return Buffer.from(JSON.stringify({ log: { version: '1.2', pages: list, entries } }));
}

/** Clicks, and tells how long it took until something was on the screen: in the page's own time. */
async function shown(page, name, click, wanted, times = 1) {
  const each = [];
  for (let i = 0; i < times; i++) {
    each.push(
      await page.evaluate(
        ([click, wanted]) =>
          new Promise((done) => {
            const began = performance.now();
            const look = () => (document.querySelector(wanted) ? requestAnimationFrame(() => done(performance.now() - began)) : requestAnimationFrame(look));
            document.querySelector(click).click();
            look();
          }),
        [click, wanted],
      ),
    );
    if (i + 1 < times) {
      await page.goBack();
      await page.locator(click).first().waitFor();
    }
  }
  console.log(`${name}: median ${ms(percentile(each, 0.5))}, longest ${ms(Math.max(...each))} of ${times}`);
}

/** Runs an act with the page's frames counted: what each took, and the long tasks meanwhile. */
async function watched(page, name, act) {
  await page.evaluate(() => {
    const seen = (window.__seen = { frames: [], tasks: [], on: true });
    let last = performance.now();
    const next = (now) => {
      seen.frames.push(now - last);
      last = now;
      if (seen.on) requestAnimationFrame(next);
    };
    requestAnimationFrame(next);
    seen.observer = new PerformanceObserver((list) => seen.tasks.push(...list.getEntries().map((e) => e.duration)));
    seen.observer.observe({ type: 'longtask' });
  });
  await act();
  const { frames, tasks } = await page.evaluate(() => {
    window.__seen.on = false;
    return { frames: window.__seen.frames.slice(1), tasks: window.__seen.tasks };
  });
  console.log(`${name}: ${frames.length} frames, median ${ms(percentile(frames, 0.5))}, 95th percentile ${ms(percentile(frames, 0.95))}; ${tasks.length} long tasks${tasks.length ? `, longest ${ms(Math.max(...tasks))}` : ''}`);
}

/** The script's own work for each picture of the chart, measured in the page. */
async function drawTimes(page) {
  return page.evaluate(() => performance.getEntriesByName('chart').map((e) => e.duration));
}

try {
  const trace = await add('trace.json', whole);
  const many = await add('two-thousand.har', har(1, 1999));

  const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
  await page.goto(`${address}/recordings`);
  await page.waitForLoadState('networkidle');
  const opened = performance.now();
  await page.goto(`${address}/recordings/${trace}/main-thread`);
  await page.waitForFunction(() => performance.getEntriesByName('chart').length > 0);
  console.log(`main thread: first picture ${ms(performance.now() - opened)} after its address was opened`);
  await page.locator('canvas').scrollIntoViewIfNeeded();
  const box = await page.locator('canvas').boundingBox();
  await watched(page, 'main thread, zooming', async () => {
    await page.mouse.move(box.x + box.width * 0.6, box.y + 60);
    await page.keyboard.down('Control');
    for (let i = 0; i < 60; i++) await page.mouse.wheel(0, i < 40 ? -120 : 120);
    await page.keyboard.up('Control');
  });
  await watched(page, 'main thread, moving', async () => {
    await page.mouse.move(box.x + box.width * 0.8, box.y + 60);
    await page.mouse.down();
    for (let i = 0; i < 90; i++) await page.mouse.move(box.x + box.width * (0.8 - i / 150), box.y + 60);
    await page.mouse.up();
  });
  const draws = await drawTimes(page);
  console.log(`main thread, drawing: ${draws.length} pictures, median ${ms(percentile(draws, 0.5))}, 95th percentile ${ms(percentile(draws, 0.95))}`);

  await page.goto(`${address}/recordings/${many}/requests`);
  await page.locator('[data-request]').first().waitFor();
  await watched(page, '2,000 requests, scrolling', async () => {
    await page.mouse.move(500, 500);
    for (let i = 0; i < 90; i++) await page.mouse.wheel(0, 400);
  });
  await watched(page, '2,000 requests, zooming', async () => {
    await page.mouse.move(900, 500);
    await page.keyboard.down('Control');
    for (let i = 0; i < 50; i++) await page.mouse.wheel(0, i < 30 ? -100 : 100);
    await page.keyboard.up('Control');
  });

  // Beside many large ones a small one opens as if it were alone.
  const demo = await taken('home.phainon.zip', readFileSync(join(root, 'demo/home-home-laptop.phainon.zip')));
  for (let i = 0; i < beside; i++) await taken(`half-${i}.json`, half);
  await page.goto(`${address}/recordings?words=laptop`);
  await page.locator(`#recording-${demo[0]}`).waitFor();
  await shown(page, `a recording beside ${beside} of ${Number(megabytes) / 2} MB`, `#recording-${demo[0]}`, 'h1.text-\\[25px\\]', 7);

  // The list of many. A HAR of many pages is a recording for each.
  const began = performance.now();
  const pages = await taken('pages.har', har(1000, 2));
  await taken('more-pages.har', har(1000, 2));
  console.log(`2,000 recordings of a HAR's pages: kept in ${((performance.now() - began) / 1000).toFixed(1)} s`);
  const firsts = [];
  for (let i = 0; i < 7; i++) {
    const list = await browser.newPage({ viewport: { width: 1280, height: 800 } });
    await list.addInitScript(() => {
      const look = () => (document.querySelector('[role=row] a') ? requestAnimationFrame(() => (window.__there = performance.now())) : requestAnimationFrame(look));
      look();
    });
    await list.goto(`${address}/recordings`);
    // Asking again and again would take part of the time that is measured.
    await list.waitForTimeout(1500);
    firsts.push(await list.evaluate(() => window.__there));
    if (i === 6) {
      console.log(`the list of 2,000: ${await list.evaluate(() => document.querySelectorAll('*').length)} nodes`);
      await list.evaluate(() => {
        window.__keys = [];
        new PerformanceObserver((seen) => window.__keys.push(...seen.getEntries().filter((e) => e.name === 'keydown' || e.name === 'input').map((e) => e.duration))).observe({ type: 'event', durationThreshold: 16 });
      });
      await list.getByLabel('Filter recordings').pressSequentially('page-77', { delay: 120 });
      await list.waitForLoadState('networkidle');
      const slow = await list.evaluate(() => window.__keys);
      console.log(`the list of 2,000, typing in its filter: ${slow.length} of 7 keys took 16 ms or more to the next paint${slow.length ? `, longest ${ms(Math.max(...slow))}` : ''}`);
    }
    await list.close();
  }
  console.log(`the list of 2,000, opened: median ${ms(percentile(firsts, 0.5))}, longest ${ms(Math.max(...firsts))} of 7`);
  const weights = [];
  for (let i = 0; i < 9; i++) {
    const start = performance.now();
    const answer = await fetch(`${address}/api/site-weight?recordings=${pages.slice(0, 200).join(',')}`);
    await answer.json();
    weights.push(performance.now() - start);
  }
  console.log(`site-wide weight over 200 recordings: median ${ms(percentile(weights, 0.5))}, longest ${ms(Math.max(...weights))} of 9`);
  const [taken0, all0] = atStart;
  const [taken1, all1] = stolen();
  console.log(`meanwhile the host gave ${((100 * (taken1 - taken0)) / (all1 - all0)).toFixed(1)} % of the processors' time to others`);
} finally {
  await browser.close();
  stop();
}
