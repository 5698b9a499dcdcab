// The browser bench of the screens: a trace of 100 MB and a HAR of 2,000 requests, opened, moved and zoomed.
// Prints what it measured; `cargo xtask bench` runs it. PHAINON_BENCH_MB sets the trace's size.
import { chromium } from '@playwright/test';
import { execFileSync, spawn } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

const root = join(import.meta.dirname, '..');
const megabytes = process.env.PHAINON_BENCH_MB ?? '100';
const data = mkdtempSync(join(tmpdir(), 'phainon-bench-'));
const file = join(data, 'trace.json');
execFileSync('cargo', ['run', '--quiet', '--package', 'phainon-formats', '--example', 'make_trace', '--', megabytes, file], { cwd: root, stdio: 'inherit' });
const server = spawn(join(root, 'target/debug/phainon'), ['serve', '--data', join(data, 'store'), '--port', '0'], { stdio: ['ignore', 'pipe', 'inherit'] });
const address = await new Promise((resolve) => {
  let text = '';
  server.stdout.on('data', (part) => {
    text += part;
    const found = /http:\/\/[\d.:]+/.exec(text);
    if (found) resolve(found[0]);
  });
});
const browser = await chromium.launch({ executablePath: process.env.PHAINON_BROWSER ?? '/usr/bin/chromium-headless-shell', args: ['--no-sandbox'] });
const percentile = (values, p) => values.toSorted((a, b) => a - b)[Math.min(values.length - 1, Math.floor(values.length * p))];
const ms = (value) => `${value.toFixed(1)} ms`;

async function add(name, bytes) {
  const form = new FormData();
  form.append('file', new Blob([bytes]), name);
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
  const answer = await fetch(`${address}/api/import`, { method: 'POST', body: form });
  const made = await answer.json();
  const took = performance.now() - began;
  asking.on = false;
  await asked;
  if (!answer.ok) throw new Error(made.detail);
  console.log(`${name}: ${(bytes.length / 1e6).toFixed(0)} MB imported in ${(took / 1000).toFixed(1)} s; meanwhile the server answered ${waits.length} others, 95th percentile ${ms(percentile(waits, 0.95))}, longest ${ms(Math.max(...waits))}`);
  return made.ids[0];
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
  const trace = await add('trace.json', readFileSync(file));
  const entries = Array.from({ length: 2000 }, (_, i) => ({
    startedDateTime: new Date(Date.UTC(2026, 10, 24, 9, 0, 0, i * 3)).toISOString(),
    time: 120,
    request: { method: 'GET', url: `https://shop.example/${i ? `plugins/p${i % 30}/file-${i}.js` : ''}`, headers: [] },
    response: { status: 200, headers: [], content: { size: 9000, mimeType: i ? 'text/javascript' : 'text/html' }, bodySize: 3000 + i, headersSize: 200 },
    timings: { blocked: 4, dns: -1, connect: -1, send: 1, wait: 80, receive: 35 },
  }));
  const har = await add('two-thousand.har', Buffer.from(JSON.stringify({ log: { version: '1.2', entries } })));

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

  await page.goto(`${address}/recordings/${har}/requests`);
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
} finally {
  await browser.close();
  server.kill();
  rmSync(data, { recursive: true, force: true });
}
