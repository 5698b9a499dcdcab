import { expect, test } from '@playwright/test';
import { open } from './open';

function har(url: string, files: string[]): string {
  const entries = [url, ...files.map((f) => new URL(f, url).href)].map((address, i) => ({
    startedDateTime: new Date(Date.UTC(2026, 10, 24, 9, 0, 0, i * 40)).toISOString(),
    time: 120,
    request: { method: 'GET', url: address, headers: [] },
    response: { status: 200, headers: [{ name: 'cache-control', value: 'max-age=60' }], content: { size: 9000, mimeType: i ? 'text/javascript' : 'text/html' }, bodySize: 3000, headersSize: 200 },
    timings: { blocked: 4, dns: -1, connect: -1, send: 1, wait: 80, receive: 35 },
  }));
  return JSON.stringify({ log: { version: '1.2', entries } });
}

function trace(url: string): string {
  const event = (name: string, ph: string, ms: number, dur: number, args: unknown) => ({ name, ph, ts: 5e6 + ms * 1e3, dur: dur * 1e3, pid: 7, tid: 7, args });
  const data = { documentLoaderURL: url, isOutermostMainFrame: true, navigationId: 'N' };
  return JSON.stringify([
    event('thread_name', 'M', 0, 0, { name: 'CrRendererMain' }),
    event('navigationStart', 'R', 0, 0, { frame: 'F', data }),
    event('RunTask', 'X', 200, 90, {}),
    event('FunctionCall', 'X', 201, 80, { data: { functionName: 'start', url: new URL('app.js', url).href } }),
    event('firstContentfulPaint', 'R', 320, 0, { frame: 'F', data: { navigationId: 'N' } }),
  ]);
}

const json = (name: string, text: string) => ({ name, mimeType: 'application/json', buffer: Buffer.from(text) });

test('what is not there says so, and what to do', async ({ page }) => {
  await page.goto('/recordings/999/glance');
  await expect(page.getByRole('alert')).toContainText('There is no recording 999.');
  await page.goto('/no/such/screen');
  await expect(page.getByRole('main')).toContainText(/no such|nothing/i);
  await page.goto('/sites/nowhere.test/plan');
  await expect(page.getByRole('main')).toContainText('A plan is made from findings');

  const here = await open(page, 'Home', 'Home laptop');
  await page.goto(`${here}/requests?sel=request:9999`);
  await expect(page.getByRole('complementary', { name: 'Margin' })).toContainText('is not in this load');
  await page.goto(`${here}/requests?filter=no-such-word-anywhere`);
  await expect(page.getByText(/^0 of \d+ requests$/)).toBeVisible();
  await page.goto(`${here}/main-thread?from=abc&to=-5`);
  await expect(page.getByText('the whole load').first()).toBeVisible();
});

test('an address says everything that is on the screen', async ({ page, context }) => {
  const here = await open(page, 'Home', 'Phone on the move');
  await page.goto(`${here}/requests?filter=kind:image&sort=-size&group=owner`);
  const list = page.getByRole('listbox', { name: /waterfall/ });
  await list.getByRole('option', { name: /advert\.jpg/ }).click();
  const margin = page.getByRole('complementary', { name: 'Margin' });
  await expect(margin).toContainText('advert.jpg');
  const rows = await list.getByRole('option').allInnerTexts();

  const other = await context.newPage();
  await other.goto(page.url());
  await expect(other.getByRole('complementary', { name: 'Margin' })).toContainText('advert.jpg');
  await expect(other.getByLabel('Group')).toHaveValue('owner');
  await expect(other.getByLabel('Filter requests by words and facts')).toHaveValue('kind:image');
  await expect.poll(() => other.getByRole('listbox', { name: /waterfall/ }).getByRole('option').allInnerTexts()).toEqual(rows);

  // The selection goes along into the other sections, and back through history.
  await other.keyboard.press('9');
  await expect(other).toHaveURL(/findings\?.*sel=request/);
  await expect(other.getByRole('complementary', { name: 'Margin' })).toContainText('advert.jpg');
  await other.goBack();
  await expect(other).toHaveURL(/requests\?.*group=owner/);
});

test('the waterfall is read without a mouse, and chains are followed both ways', async ({ page }) => {
  const here = await open(page, 'Home', 'Home laptop');
  await page.goto(`${here}/requests`);
  const list = page.getByRole('listbox', { name: /waterfall/ });
  await expect(list.getByRole('option').first()).toBeVisible();
  await page.keyboard.press('j');
  await expect(page).toHaveURL(/sel=request%3A\d+|sel=request:\d+/);
  const chosen = () => new URL(page.url()).searchParams.get('sel');
  const first = chosen();
  await page.keyboard.press('j');
  await expect.poll(chosen).not.toBe(first);
  await page.keyboard.press('k');
  await expect.poll(chosen).toBe(first);

  // From the hero to the script that inserted it, and from there back down.
  await page.goto(`${here}/requests?filter=hero-marlin`);
  await list.getByRole('option', { name: /hero-marlin-bay/ }).click();
  const margin = page.getByRole('complementary', { name: 'Margin' });
  await expect(margin).toContainText('hero-marlin-bay.jpg');
  await margin.getByRole('button', { name: /slider\.js/ }).first().click();
  await expect(margin.getByRole('heading', { level: 2 })).toContainText('slider.js');
  await margin.getByRole('button', { name: /hero-marlin-bay\.jpg/ }).first().click();
  await expect(margin.getByRole('heading', { level: 2 })).toContainText('hero-marlin-bay.jpg');
});

test('files dropped on the window are read: a HAR and a trace of one load as one', async ({ page }) => {
  await page.goto('/recordings');
  const url = 'https://drop.example/';
  const drop = async (files: { name: string; text: string }[]) => {
    const transfer = await page.evaluateHandle((given) => {
      const all = new DataTransfer();
      for (const { name, text } of given) all.items.add(new File([text], name, { type: 'application/json' }));
      return all;
    }, files);
    await page.dispatchEvent('body', 'dragover', { dataTransfer: transfer });
    await page.dispatchEvent('body', 'drop', { dataTransfer: transfer });
  };
  await drop([{ name: 'load.har', text: har(url, ['app.js']) }, { name: 'load.json', text: trace(url) }]);
  await expect(page).toHaveURL(/\/recordings\/\d+\/glance/);
  const here = new URL(page.url()).pathname.replace(/\/glance$/, '');
  await page.goto(`${here}/requests`);
  await expect(page.getByText('2 of 2 requests')).toBeVisible();
  await page.goto(`${here}/main-thread`);
  await expect(page.getByRole('heading', { level: 1 })).toContainText('1 long task');
  await expect(page.getByRole('region', { name: 'By script' })).toContainText('app.js');

  // Of two loads that are not the same, nothing is kept, and it says why.
  await page.goto('/recordings');
  await drop([{ name: 'one.har', text: har('https://one.example/', []) }, { name: 'two.json', text: trace('https://two.example/') }]);
  await expect(page.getByRole('status')).toContainText('two.example');
  await expect(page.getByRole('row', { name: /one\.example/ })).toHaveCount(0);
  await page.goto('/recordings?words=drop.example');
  const row = page.getByRole('row', { name: /drop\.example/ });
  await row.getByRole('button', { name: /^Delete/ }).click();
  await expect(row).toHaveCount(0);
});

test('a plan changed in one window shows in the other', async ({ page, context }) => {
  const site = `plan-${Date.now()}.example`;
  const url = `https://${site}/`;
  await page.goto('/recordings');
  await page.getByLabel('File to import').setInputFiles(json('plan.har', har(url, ['a.js', 'b.js', 'c.js'])));
  await expect(page).toHaveURL(/glance/);
  const here = new URL(page.url()).pathname.replace(/\/glance$/, '');
  await page.goto(`${here}/findings`);
  const add = page.getByRole('button', { name: /^Add to the plan/ });
  await expect(add.first()).toBeVisible();
  await add.first().click();
  const other = await context.newPage();
  await other.goto(`/sites/${site}/plan`);
  const out = other.getByRole('button', { name: /^Take out of the plan/ });
  await expect(out).toHaveCount(1);
  await out.click();
  await expect(out).toHaveCount(0);
  await page.goto(`/sites/${site}/plan`);
  await expect(page.getByRole('button', { name: /^Take out of the plan/ })).toHaveCount(0);
  await page.goto(`/recordings?words=${site}`);
  const row = page.getByRole('row', { name: new RegExp(site) });
  await row.getByRole('button', { name: /^Delete/ }).click();
  await expect(row).toHaveCount(0);
});

test('colours stay as they were chosen', async ({ page }) => {
  await page.emulateMedia({ colorScheme: 'light' });
  await page.goto('/recordings');
  const paper = () => page.evaluate(() => getComputedStyle(document.body).backgroundColor);
  const day = await paper();
  const colours = page.getByRole('button', { name: /^Colours:/ });
  await colours.click();
  await colours.click();
  await expect(colours).toHaveAccessibleName(/Colours: night/);
  expect(await paper()).not.toBe(day);
  await page.reload();
  await expect(colours).toHaveAccessibleName(/Colours: night/);
  expect(await paper()).not.toBe(day);
  await colours.click();
  await expect(colours).toHaveAccessibleName(/Colours: system/);
});

test('the waterfall is one tab stop, and keys go on after a click in it', async ({ page }) => {
  const here = await open(page, 'Home', 'Home laptop');
  await page.goto(`${here}/requests`);
  const list = page.getByRole('listbox', { name: /waterfall/ });
  await expect(list.getByRole('option').first()).toBeVisible();
  expect(await list.locator('[tabindex="0"]').count()).toBeLessThanOrEqual(1);
  await list.getByRole('option').nth(2).click();
  const chosen = () => new URL(page.url()).searchParams.get('sel');
  await expect.poll(chosen).not.toBeNull();
  const clicked = chosen();
  await page.keyboard.press('j');
  await expect.poll(chosen).not.toBe(clicked);
  await page.keyboard.press('5');
  await expect(page).toHaveURL(/main-thread/);
});

test('going back puts the filter back, and the field does not write over it', async ({ page }) => {
  const here = await open(page, 'Home', 'Home laptop');
  await page.goto(`${here}/requests?filter=kind:script`);
  const field = page.getByLabel('Filter requests by words and facts');
  await expect(field).toHaveValue('kind:script');
  await field.fill('kind:image');
  await expect(page).toHaveURL(/kind(:|%3A)image/);
  await page.keyboard.press('Escape');
  await page.getByRole('link', { name: 'Phainon: all recordings' }).click();
  await expect(page.getByRole('heading', { level: 1 })).toHaveText('Recordings');
  await page.goBack();
  await expect(field).toHaveValue('kind:image');
  await page.keyboard.press('9');
  await expect(page).toHaveURL(/findings/);
  await page.goBack();
  await expect(field).toHaveValue('kind:image');
  await expect(page).toHaveURL(/kind(:|%3A)image/);
});

test('a file of many pages is kept as far as the user chooses', async ({ page }) => {
  await page.goto('/recordings');
  await expect(page.getByRole('heading', { level: 1 })).toHaveText('Recordings');
  const before = (await (await page.request.get('/api/recordings')).json()) as { all: number };
  const pages = Array.from({ length: 300 }, (_, i) => ({
    id: `p${i}`, title: `Quay ${i + 1}`, startedDateTime: '2026-11-24T09:00:00Z', pageTimings: {},
  }));
  const entries = pages.map(({ id }, i) => ({
    pageref: id, startedDateTime: '2026-11-24T09:00:00Z', time: 50, request: { method: 'GET', url: `http://many.test/quay/${i + 1}`, headers: [] },
    response: { status: 200, headers: [], content: { size: 10, mimeType: 'text/html' } }, timings: { wait: 40, receive: 10 },
  }));
  const file = { name: 'many.har', mimeType: 'application/json', buffer: Buffer.from(JSON.stringify({ log: { version: '1.2', pages, entries } })) };
  await page.getByLabel('File to import').setInputFiles(file);
  const dialog = page.getByRole('dialog', { name: 'Which pages?' });
  await expect(dialog).toContainText('The file holds 300 pages');
  await expect(dialog.getByRole('button', { name: 'Keep 0 pages' })).toBeDisabled();
  await dialog.getByRole('button', { name: 'The first 20 shown' }).click();
  await expect(dialog.getByText('20 are chosen')).toBeVisible();
  await dialog.getByRole('textbox', { name: 'Filter pages' }).fill('quay 29');
  await expect(dialog.getByText('13 of 300, 20 chosen')).toBeVisible();
  await expect(dialog.getByRole('checkbox', { name: /quay\/29 / })).toBeDisabled();
  await dialog.getByRole('button', { name: 'None' }).click();
  await dialog.getByRole('checkbox', { name: /quay\/29 / }).check();
  await dialog.getByRole('checkbox', { name: /quay\/291 / }).press('Space');
  await dialog.getByRole('button', { name: 'Keep 2 pages' }).click();
  await expect(page.getByText('many.har: 2 recordings were kept.')).toBeVisible();
  // Only what is near the screen is drawn.
  await page.getByRole('textbox', { name: /^Filter/ }).first().fill('many.test');
  const rows = page.getByRole('table', { name: 'Recordings' });
  await expect(rows.getByText('many.test/quay/29', { exact: true })).toBeVisible();
  await expect(rows.getByText('many.test/quay/291')).toBeVisible();
  const after = (await (await page.request.get('/api/recordings')).json()) as { all: number };
  expect(after.all).toBe(before.all + 2);
});

test('room is made: bodies of old recordings go, then the recordings', async ({ page }) => {
  const text = har('https://old.example/', ['a.js']).replaceAll(/20\d\d-\d\d-\d\dT/g, '2019-03-04T');
  const { log } = JSON.parse(text) as { log: { entries: { response: { content: { text?: string } } }[] } };
  for (const entry of log.entries) entry.response.content.text = 'the body of an old file';
  await page.goto('/recordings');
  await page.getByLabel('File to import').setInputFiles(json('old.har', JSON.stringify({ log })));
  await expect(page).toHaveURL(/glance/);
  const recording = page.url();
  await page.getByRole('link', { name: 'Storage' }).click();
  await expect(page.getByRole('heading', { level: 1 })).toHaveText('Storage');
  await page.getByRole('radio', { name: /older than a year \(1\)/ }).check();
  await page.getByRole('button', { name: 'Drop their traces and bodies' }).click();
  const ask = page.getByRole('dialog');
  await expect(ask).toContainText('It cannot be undone.');
  await ask.getByRole('button', { name: 'Drop them' }).click();
  await expect(page.getByText(/^Thinned: one recording|^Thinned: 1 recording/)).toBeVisible();
  await expect(page.getByRole('button', { name: 'Drop their traces and bodies' })).toBeDisabled();
  await page.goto(recording);
  await expect(page.getByText(/Its traces and bodies were dropped on/)).toBeVisible();
  await page.goto('/storage');
  await page.getByRole('radio', { name: /older than a year \(1\)/ }).check();
  await page.getByRole('button', { name: 'Delete them for good' }).click();
  await ask.getByRole('button', { name: 'Delete 1 recording' }).click();
  await expect(page.getByText(/^Deleted: 1 recording/)).toBeVisible();
  await page.goto(recording);
  await expect(page.getByRole('alert')).toContainText('There is no recording');
});
