import { expect, test } from '@playwright/test';
import { open } from './open';

const escaped = (text: string) => text.replace(/[.*+?^${}()|[\]\\]/g, '\\$&');

test('the largest picture is late: try it, see what that brings, take the files', async ({ page }) => {
  // Eight loads of the phone, on a machine that may be busy; a second try waits for what the first left in line.
  test.setTimeout(600_000);
  const here = await open(page, 'Home', 'Phone on the move');
  await page.goto(`${here}/findings`);
  await page.getByRole('button', { name: /hero-marlin-bay\.jpg has 3 times the pixels/ }).first().click();
  const margin = page.getByRole('complementary', { name: 'Margin' });
  await margin.getByRole('link', { name: 'Try it' }).click();
  await expect(page).toHaveURL(/trials\?.*try=resize/);

  const fix = page.getByRole('checkbox', { name: /Send hero-marlin-bay\.jpg at the size/ });
  await expect(fix).toBeChecked();
  await page.getByLabel('Loads of each').fill('4');
  await page.getByRole('button', { name: 'Try it' }).click();

  await expect(page.getByRole('heading', { level: 1 })).toContainText('Trying: Send hero-marlin-bay.jpg');
  // A second try finds the replay of the first.
  const plain = page.getByRole('heading', { name: 'First, the load replayed without any edit' });
  const edited = page.getByRole('heading', { name: 'Now with the edits' });
  await expect(plain.or(edited)).toBeVisible();
  await expect(page.getByText(/^Load [1-4] of 4/)).toBeVisible({ timeout: 180_000 });
  await expect(edited).toBeVisible({ timeout: 180_000 });
  // How much sooner depends on the machine, and whether four loads can tell; how much lighter does not.
  const verdict = page.getByText(/^Largest paint: (better|worse|can.t tell), [−+]/);
  await expect(verdict).toBeVisible({ timeout: 180_000 });

  const rows = page.getByRole('row');
  const [, word] = /: (.*?),/.exec(await verdict.innerText()) ?? [];
  await expect(rows.filter({ hasText: 'LCP' })).toContainText(word ?? 'no verdict');
  await expect(rows.filter({ hasText: 'Weight' })).toContainText('better');
  await expect(page.getByText(/0 not at all/)).toBeVisible();
  await expect(page.getByText('What broke')).toHaveCount(0);
  await expect(page.getByRole('region', { name: 'Both loads on one time axis' }).getByRole('img').first()).toBeVisible();
  await expect(page.getByRole('region', { name: 'Path against path' })).toContainText('hero-marlin-bay.jpg downloads');

  const files = page.getByRole('region', { name: 'The change as files' });
  await expect(files.getByRole('listitem')).toHaveCount(1);
  await expect(files).toContainText('hero-marlin-bay.jpg');
  const [taken] = await Promise.all([page.waitForEvent('download'), files.getByRole('link', { name: /as zip/ }).click()]);
  expect(taken.suggestedFilename()).toMatch(/^trial-\d+\.zip$/);

  // It is a recording like any other, and not in the list of those of the site.
  await page.getByRole('link', { name: 'The trial, in all sections' }).click();
  await expect(page.getByText('This is a trial: a recorded load served again')).toBeVisible();
  const trial = new URL(page.url()).pathname.replace(/^(\/recordings\/\d+\/).*/, '$1');
  await page.goto(`${here}/trials`);
  await expect(page.getByRole('region', { name: 'Trials made' }).getByRole('row').nth(1)).toContainText(word ?? 'no verdict');
  await page.goto('/recordings');
  await expect(page.locator(`main a[href^="${here}/"]`)).not.toHaveCount(0);
  await expect(page.locator(`main a[href^="${trial}"]`)).toHaveCount(0);
});

test('any file can be named, edited by hand, or found to be beyond a trial', async ({ page }) => {
  const here = await open(page, 'Home', 'Phone on the move');
  await page.goto(`${here}/trials`);
  const chosen = page.getByRole('list', { name: 'Chosen edits' });
  const add = page.getByRole('button', { name: 'Add', exact: true });
  await page.getByLabel('Or any other').selectOption('defer_script');
  await page.getByLabel('Which file').fill('vendor.js');
  await add.click();
  await expect(chosen).toContainText('Defer vendor.js');
  await page.getByLabel('Which file').fill('no-such-file.js');
  await add.click();
  await expect(page.getByRole('alert')).toContainText('This load asked for nothing that ends in “no-such-file.js”.');
  await page.getByLabel('Or any other').selectOption('http2');
  await page.getByLabel('Which host').fill('www.skerryline.test');
  await add.click();
  await expect(page.getByRole('alert')).toContainText('browsers speak HTTP/2 over TLS alone');

  await page.getByLabel('Edit a file by hand').selectOption({ index: 1 });
  const dialog = page.getByRole('dialog', { name: 'www.skerryline.test' });
  const text = dialog.getByRole('textbox', { name: /Text of/ });
  await expect(text).toContainText('doctype html');
  await text.click();
  await page.keyboard.press('Control+Home');
  await page.keyboard.type('<!-- mine -->');
  await dialog.getByLabel('Show what differs from the recorded text').check();
  await expect(dialog.locator('.cm-deletedChunk')).toBeVisible();
  await page.keyboard.press('Escape');
  await page.getByLabel('Edit a file by hand').selectOption({ index: 1 });
  await text.click();
  await page.keyboard.press('Control+Home');
  await page.keyboard.type('<!-- mine -->');
  await page.keyboard.press('Control+z');
  await expect(text).not.toContainText('mine');
  await page.keyboard.type('<!-- kept -->');
  await dialog.getByRole('button', { name: 'Try with this' }).click();
  await expect(chosen).toContainText('www.skerryline.test, by hand');
  await page.getByRole('button', { name: 'Leave out: www.skerryline.test, by hand' }).click();
  await expect(chosen.getByRole('listitem')).toHaveCount(1);

  // A picture is no text; another file takes its place.
  await page.getByLabel('Edit a file by hand').selectOption({ label: 'hero-marlin-bay.jpg (static.skerryline.test)' });
  const picture = page.getByRole('dialog', { name: 'hero-marlin-bay.jpg' });
  await expect(picture).toContainText('This is no text');
  await picture.locator('input[type=file]').setInputFiles({ name: 'small.jpg', mimeType: 'image/jpeg', buffer: Buffer.from([0xff, 0xd8, 0, 1, 2]) });
  await expect(chosen).toContainText('hero-marlin-bay.jpg, by hand');

  // What the margin leads to is added to what was chosen, and takes nothing away.
  await page.getByRole('complementary', { name: 'Margin' }).getByRole('button', { name: /has 3 times the pixels/ }).click();
  await page.getByRole('complementary', { name: 'Margin' }).getByRole('link', { name: 'Try it' }).click();
  await expect(chosen.getByRole('listitem')).toHaveCount(3);
});

test('fixes of the plan are tried each alone, and the plan says what came of it', async ({ page }) => {
  test.setTimeout(300_000);
  const here = await open(page, 'Booking', 'Home laptop');
  await page.goto(`${here}/findings`);
  const add = page.getByRole('button', { name: /^Add to the plan: (Defer|Inline|Send|Put)/ });
  const titles: string[] = [];
  for (const at of [0, 1]) {
    titles.push((await add.nth(at).getAttribute('aria-label') ?? '').replace('Add to the plan: ', ''));
    await add.nth(at).click();
    await expect(page.getByRole('status').filter({ hasText: 'In the plan' }).first()).toBeVisible();
  }
  const site = '/sites/skerryline.test/plan';
  await page.goto(site);
  await page.getByRole('row', { name: new RegExp(`^\\d+\\. ${escaped(titles[0] ?? '')}`) }).getByRole('link', { name: /^try it/ }).click();
  const chosen = page.getByRole('list', { name: 'Chosen edits' });
  await expect(chosen.getByRole('listitem')).toHaveCount(1);
  await page.getByRole('checkbox', { name: new RegExp(escaped(titles[1] ?? '')) }).check();
  // What was chosen is there again when one comes back.
  await page.getByRole('link', { name: 'Findings' }).click();
  await page.getByRole('link', { name: 'Trials' }).click();
  await expect(chosen.getByRole('listitem')).toHaveCount(2);
  await page.getByLabel('Loads of each').fill('2');
  await page.getByRole('checkbox', { name: 'Each edit alone, in 2 trials' }).check();
  await page.getByRole('button', { name: 'Try each' }).click();
  await expect(page.getByRole('status').filter({ hasText: '2 trials in line' })).toBeVisible();
  const made = page.getByRole('region', { name: 'Trials made' }).getByRole('row');
  await expect(made.filter({ hasText: 'under way' })).toHaveCount(2);
  await expect(made.filter({ hasText: 'under way' })).toHaveCount(0, { timeout: 200_000 });
  await expect(made.filter({ hasText: 'failed' })).toHaveCount(0);
  await page.goto(site);
  for (const title of titles) {
    const row = page.getByRole('row', { name: new RegExp(`^\\d+\\. ${escaped(title)}`) });
    // Two loads of each can never tell.
    await expect(row).toContainText(/can’t tell|broke the page/);
    await expect(row.locator('a[href*="/trials/"]')).toContainText(/\d m?s|broke/);
  }
});

test('a trial is cancelled, and a file without bodies says that it cannot be tried', async ({ page }) => {
  const here = await open(page, 'Home', 'Home laptop');
  await page.goto(`${here}/trials`);
  await page.getByLabel('Or any other').selectOption('defer_script');
  await page.getByLabel('Which file').fill('vendor.js');
  await page.getByRole('button', { name: 'Add', exact: true }).click();
  await page.getByRole('button', { name: 'Try it' }).click();
  await expect(page.getByRole('heading', { level: 1 })).toContainText('Trying:');
  await page.getByRole('button', { name: 'Cancel the trial' }).click();
  await expect(page.getByRole('heading', { level: 1 })).toContainText('Cancelled:', { timeout: 20_000 });
  await page.getByRole('button', { name: 'Forget this trial' }).click();
  await expect(page.getByRole('heading', { level: 1 })).toContainText('No trial of this recording yet');

  const entry = {
    startedDateTime: '2026-11-24T09:00:00.000Z',
    time: 120,
    request: { method: 'GET', url: 'http://no-bodies.test/', headers: [] },
    response: { status: 200, headers: [], content: { size: 900, mimeType: 'text/html' } },
    timings: { blocked: 4, dns: -1, connect: -1, send: 1, wait: 80, receive: 35 },
  };
  const har = JSON.stringify({ log: { version: '1.2', entries: [entry] } });
  await page.goto('/recordings');
  await page.locator('input[type=file]').setInputFiles({ name: 'no-bodies.har', mimeType: 'application/json', buffer: Buffer.from(har) });
  await expect(page).toHaveURL(/recordings\/\d+/);
  await page.goto(page.url().replace(/\/[a-z-]+(\?.*)?$/, '/trials'));
  await expect(page.getByRole('note').filter({ hasText: 'This load cannot be tried' })).toContainText('http://no-bodies.test/, was not kept');
});
