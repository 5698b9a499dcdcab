import { expect, test } from '@playwright/test';
import { open } from './open';

test('requests: grouped, by chosen columns, in both visits, down to the body', async ({ page }) => {
  const here = await open(page, 'Home', 'Phone on the move');
  await page.goto(`${here}/requests?filter=kind:script+size>30kB`);
  const rows = page.getByRole('listbox', { name: /waterfall/ }).getByRole('option');
  await expect(rows.first()).toBeVisible();
  const count = await rows.count();
  expect(count).toBeGreaterThan(2);
  await expect(page.getByText(new RegExp(`^${count} of \\d+ requests$`))).toBeVisible();

  await page.getByLabel('Group').selectOption('owner');
  await expect(page.getByText(/parleydock\.test/).first()).toBeVisible();
  await expect(page.getByText(/1 request, .* over the line, .* unpacked/).first()).toBeVisible();
  await page.getByRole('button', { name: 'columns' }).click();
  await page.getByRole('menuitemcheckbox', { name: /Priority/ }).click();
  await page.keyboard.press('Escape');
  await expect(page).toHaveURL(/cols=owner%2Csize%2Cpriority/);
  await page.getByRole('button', { name: 'Priority', exact: true }).click();
  await expect(page).toHaveURL(/sort=priority/);

  // What came from the cache on the return visit, and which header decided it.
  await page.goto(`${here}/requests`);
  await expect(page.getByRole('region', { name: 'Load in hand' })).toContainText(/Return visit.*kB instead of 2\.41 MB/);
  await page.getByRole('button', { name: 'both visits' }).click();
  await expect(page).toHaveURL(/beside=return/);
  const filter = page.getByLabel('Filter requests by words and facts');
  await filter.fill('place.js');
  await page.getByRole('option', { name: /place\.js/ }).click();
  const margin = page.getByRole('complementary', { name: 'Margin' });
  await expect(margin).toContainText('On the return visit');
  await expect(margin).toContainText('cache-control: no-store');
  await filter.fill('rules.js');
  await page.getByRole('option', { name: /rules\.js/ }).click();
  await expect(margin).toContainText('asked, still good');

  // A script's body, set out, and what of it was used.
  await filter.fill('vendor.js');
  await page.getByRole('option', { name: /vendor\.js/ }).click();
  await margin.getByRole('button', { name: 'Headers and body' }).click();
  const dialog = page.getByRole('dialog', { name: 'vendor.js' });
  await expect(dialog.locator('pre')).toContainText('tidemark vendor bundle');
  await dialog.getByRole('button', { name: 'used' }).click();
  await expect(dialog.locator('pre s').first()).toBeVisible();
  await page.reload();
  await expect(page.getByRole('dialog', { name: 'vendor.js' })).toBeVisible();
  await page.keyboard.press('Escape');

  // A stretch of time stays while sections change.
  await page.getByRole('button', { name: 'Closer' }).click();
  await expect(page).toHaveURL(/from=/);
  await page.keyboard.press('4');
  await expect(page).toHaveURL(/frames\?.*from=/);
});

test('frames: step through them and see what a shift moved', async ({ page }) => {
  const here = await open(page, 'Home', 'Phone on the move');
  await page.goto(`${here}/frames`);
  await expect(page.getByText(/Speed Index/).first()).toBeVisible();
  const place = page.getByText(/^frame \d+ of \d+$/);
  const before = await place.innerText();
  await page.keyboard.press('[');
  await expect(place).not.toHaveText(before);
  await expect(page).toHaveURL(/frame=/);
  const shifts = page.getByRole('region', { name: 'Layout shifts' });
  await expect(shifts.getByRole('heading')).toContainText(/shifts?, CLS 0\.\d{3}/);
  await shifts.getByRole('row').nth(1).getByRole('button').first().click();
  await expect(page).toHaveURL(/shift=0/);
  // The bar that a plugin puts in above all is told by its script, and leads to it.
  const bar = shifts.getByRole('row').filter({ hasText: 'consent-bar' });
  await expect(bar.first()).toContainText('script, consent-bar');
  await bar.first().getByRole('button', { name: 'bar.js' }).click();
  await expect(page).toHaveURL(/sel=request%3A\d+/);
});

test('main thread: stacks, functions of a stretch, forced layout, an interaction', async ({ page }) => {
  const here = await open(page, 'Booking', 'Home laptop');
  await page.goto(`${here}/main-thread`);
  const functions = page.getByRole('region', { name: 'By function' });
  await expect(functions).toContainText('haul');
  const samples = functions.getByText(/in [\d,]+ samples/);
  const whole = await samples.innerText();
  const interactions = page.getByRole('region', { name: 'Interactions' });
  await expect(interactions.getByRole('heading')).toContainText(/INP \d+ ms over 3 interactions/);
  await expect(interactions).toContainText('#more');
  await expect(page.getByRole('region', { name: 'Forced style and layout' })).toContainText('layBerths book.js:');
  await expect(page.getByRole('region', { name: 'Timers and handlers' })).toContainText('onMore book.js:');

  // Choose a stretch with Shift and the mouse.
  const canvas = page.locator('canvas');
  const box = await canvas.boundingBox();
  if (!box) throw new Error('no chart');
  await page.keyboard.down('Shift');
  await page.mouse.move(box.x + box.width * 0.2, box.y + 30);
  await page.mouse.down();
  await page.mouse.move(box.x + box.width * 0.35, box.y + 30, { steps: 4 });
  await page.mouse.up();
  await page.keyboard.up('Shift');
  await expect(page).toHaveURL(/stretch=/);
  await expect(samples).not.toHaveText(whole);
  await functions.getByRole('button', { name: 'call tree' }).click();
  await expect(functions.getByRole('tree')).toBeVisible();
  await functions.getByRole('button', { name: 'in %' }).click();
  await expect(functions.getByRole('treeitem').first()).toContainText('%');

  // A measure that the page made itself.
  const timetable = await open(page, 'Timetable', 'Home laptop');
  await page.goto(`${timetable}/main-thread`);
  await page.getByLabel('A User Timing measure').selectOption({ index: 1 });
  await expect(page.getByRole('region', { name: 'By function' })).toContainText('buildRow');
});

test('weight and document: shares, pages side by side, what each byte caused', async ({ page }) => {
  const here = await open(page, 'Home', 'Phone on the move');
  await page.goto(`${here}/weight`);
  await expect(page.getByRole('heading', { level: 1 })).toContainText(/MB over the line/);
  const files = page.getByRole('region', { name: 'Files' });
  await expect(files.getByRole('row', { name: /advert\.jpg/ })).toContainText('standout');
  await expect(files.getByRole('row', { name: /season-wide\.jpg/ })).toContainText('not shown');
  await expect(files.getByRole('row', { name: /vendor\.js/ })).toContainText(/\d+ %.*\d+ %/);
  const beside = page.getByRole('region', { name: 'Pages side by side' });
  for (const kind of ['Home', 'Timetable', 'Crossing', 'Booking']) await expect(beside.getByRole('columnheader', { name: new RegExp(kind) })).toBeVisible();
  await expect(beside.getByRole('row', { name: /vendor\.js/ })).toContainText('all');

  await page.goto(`${here}/document`);
  await expect(page.getByRole('heading', { level: 1 })).toContainText('The parser stopped');
  const text = page.getByLabel('The document’s text');
  await expect(text.getByText(/parser stops/).first()).toBeVisible();
  await expect(page.getByText('The largest element does not stand in the document')).toBeVisible();
  await expect(page.getByAltText('The first screen with its inline styles alone')).toBeVisible();
  await text.getByRole('button', { name: /base\.css/ }).click();
  await expect(page.getByRole('complementary', { name: 'Margin' })).toContainText('base.css');
});

test('a trace alone is read, and what it lacks is said', async ({ page }) => {
  const event = (name: string, ph: string, ms: number, dur: number, args: unknown) => ({ name, ph, ts: 5e6 + ms * 1e3, dur: dur * 1e3, pid: 7, tid: 7, args });
  const events = [
    event('thread_name', 'M', 0, 0, { name: 'CrRendererMain' }),
    event('navigationStart', 'R', 0, 0, { frame: 'F', data: { documentLoaderURL: 'https://else.example/', isOutermostMainFrame: true, navigationId: 'N' } }),
    event('RunTask', 'X', 100, 180, {}),
    event('FunctionCall', 'X', 101, 170, { data: { functionName: 'busy', url: 'https://else.example/app.js', lineNumber: 9 } }),
    event('firstContentfulPaint', 'R', 300, 0, { frame: 'F', data: { navigationId: 'N' } }),
  ];
  await page.goto('/recordings');
  await page.getByLabel('File to import').setInputFiles({ name: 'alone.json', mimeType: 'application/json', buffer: Buffer.from(JSON.stringify(events)) });
  await expect(page.getByText(/Read from alone\.json/)).toBeVisible();
  await page.keyboard.press('5');
  await expect(page.getByRole('heading', { level: 1 })).toContainText('1 long task');
  await expect(page.getByText(/holds no samples of the main thread/)).toBeVisible();
  await page.keyboard.press('8');
  await expect(page.getByRole('heading', { name: 'The document’s text is not here' })).toBeVisible();
  await page.keyboard.press('4');
  await expect(page.getByRole('heading', { level: 1 })).toContainText('No pictures of the screen');
});
