// Takes the pictures in docs/screenshots anew, from the demo's data in a data directory of its own.
import { chromium } from '@playwright/test';
import { spawn } from 'node:child_process';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

const NIGHT = ['glance', 'frames', 'main-thread', 'document', 'findings'];
// One picture of each is enough, and few pictures are better than many.
const NIGHT_ALONE = ['document', 'frames'];
const root = join(import.meta.dirname, '..');
const data = mkdtempSync(join(tmpdir(), 'phainon-pictures-'));
const server = spawn(join(root, 'target/debug/phainon'), ['demo', '--data', data, '--port', '0'], { stdio: ['ignore', 'pipe', 'inherit'] });
const address = await new Promise((resolve) => {
  let text = '';
  server.stdout.on('data', (part) => {
    text += part;
    const found = /http:\/\/[\d.:]+/.exec(text);
    if (found) resolve(found[0]);
  });
});
const browser = await chromium.launch({
  executablePath: process.env.PHAINON_BROWSER ?? '/usr/bin/chromium-headless-shell',
  args: ['--no-sandbox'],
});
try {
  const { rows: recordings } = await (await fetch(`${address}/api/recordings`)).json();
  const of = (page, mobile) => recordings.find((r) => r.page === page && r.conditions.mobile === mobile).id;
  const phone = of('Home', true);
  const booking = of('Booking', false);
  const timetable = recordings.find((r) => r.page === 'Timetable' && r.conditions.name === 'Home laptop').id;
  // Before and after three repairs, newest first.
  const story = recordings.filter((r) => r.conditions.name === 'Village line');
  const load = await (await fetch(`${address}/api/recordings/${phone}/loads/1`)).json();
  for (const f of load.findings.filter((f) => f.fix.edit.kind !== 'cache_longer').slice(0, 7)) {
    const fix = { edit: f.fix.edit, owner: f.owner, on_path_ms: f.on_path_ms, finding_key: f.key, finding_title: f.title, recording: phone, load: 1 };
    await fetch(`${address}/api/sites/skerryline.test/plan/fixes`, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify(fix),
    });
  }
  // A trial, so that there is one to be shown; it takes a minute.
  const resize = load.findings.find((f) => f.fix.edit.kind === 'resize').fix.edit;
  let [trial] = await (
    await fetch(`${address}/api/recordings/${phone}/loads/1/trials`, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({ edits: [resize], loads: 4 }),
    })
  ).json();
  while (trial.state === 'running') {
    await new Promise((resolve) => setTimeout(resolve, 1000));
    trial = await (await fetch(`${address}/api/trials/${trial.id}`)).json();
  }
  const views = {
    recordings: '/recordings',
    glance: `/recordings/${phone}/glance`,
    path: `/recordings/${phone}/path?sel=leg:5`,
    requests: `/recordings/${phone}/requests`,
    // The gravest shift of the load.
    frames: `/recordings/${phone}/frames?shift=${load.shifts.reduce((worst, s, i, all) => (s.score > all[worst].score ? i : worst), 0)}`,
    'main-thread': `/recordings/${booking}/main-thread`,
    weight: `/recordings/${phone}/weight`,
    document: `/recordings/${phone}/document`,
    findings: `/recordings/${phone}/findings?sel=${encodeURIComponent(`finding:${load.findings[0].key}`)}`,
    plan: '/sites/skerryline.test/plan',
    compare: `/compare?a=${story[1].id}&b=${story[0].id}`,
    trial: `/recordings/${phone}/trials/${trial.id}`,
    server: `/recordings/${timetable}/server`,
    owners: `/sites/skerryline.test/owners?page=Timetable&sort=-server&owner=${encodeURIComponent('plugin tide-table')}`,
    storage: '/storage',
  };
  for (const [theme, colorScheme] of [['day', 'light'], ['night', 'dark']]) {
    const context = await browser.newContext({ viewport: { width: 1280, height: 800 }, colorScheme, timezoneId: 'UTC' });
    const page = await context.newPage();
    // Where the data lies and how full the disk is are this machine's own.
    await page.route('**/api/storage', async (route) => {
      const room = await (await route.fetch()).json();
      await route.fulfill({ json: { ...room, directory: '/home/ann/.local/share/phainon/demo', disk_free_bytes: 120e9 } });
    });
    for (const [name, path] of Object.entries(views)) {
      // By night those whose colours differ most.
      if (theme === 'night' && !NIGHT.includes(name)) continue;
      if (theme === 'day' && NIGHT_ALONE.includes(name)) continue;
      await page.goto(address + path);
      await page.waitForLoadState('networkidle');
      // Pictures of the page come as they are scrolled to.
      await page.evaluate(() => Promise.all([...document.images].map((i) => i.decode().catch(() => undefined))));
      await page.screenshot({ path: join(root, `docs/screenshots/${name}-${theme}.png`) });
    }
    if (theme === 'day') {
      await page.goto(`${address}/recordings`);
      await page.waitForLoadState('networkidle');
      await page.keyboard.press('r');
      await page.getByRole('dialog').waitFor();
      await page.screenshot({ path: join(root, 'docs/screenshots/record-day.png') });
    }
    await context.close();
  }
} finally {
  await browser.close();
  server.kill();
  rmSync(data, { recursive: true, force: true });
}
