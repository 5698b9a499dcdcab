import { expect, test } from '@playwright/test';

test('from the demo to an ordered list of fixes, and a new recording', async ({ page }) => {
  const problems: string[] = [];
  page.on('pageerror', (error) => problems.push(error.message));
  await page.goto('/recordings');
  // What an earlier try put into the plan is in nobody's way.
  await page.evaluate(async () => {
    const plan = '/api/sites/skerryline.test/plan';
    const { fixes } = (await (await fetch(plan)).json()) as { fixes: { id: number; fix: { title: string } }[] };
    const own = fixes.filter((f) => /^(Put hero-marlin-bay|Defer vendor)/.test(f.fix.title));
    for (const { id } of own) await fetch(`${plan}/fixes/${id}`, { method: 'DELETE' });
    await fetch(`${plan}/order`, { method: 'PUT', headers: { 'content-type': 'application/json' }, body: '{"ids":null}' });
  });
  const row = page.getByRole('row', { name: /^Home .*Phone on the move/ }).last();
  await row.getByRole('link').click();

  // Find the element.
  await expect(page.getByRole('heading', { level: 1 })).toContainText('the largest paint comes at');
  const margin = page.getByRole('complementary', { name: 'Margin' });
  await expect(margin).toContainText('img.deck-hero');
  await expect(margin).toContainText('http://static.skerryline.test/media/hero-marlin-bay.jpg');

  // Follow the path.
  await page.keyboard.press('2');
  const path = page.getByRole('list', { name: /Legs of the path/ });
  const inserted = path.getByRole('button', { name: /slider\.js runs, then asks for hero-marlin-bay\.jpg/ });
  await expect(inserted).toBeVisible();
  await path.getByRole('button', { name: /hero-marlin-bay\.jpg downloads/ }).first().click();
  await expect(margin).toContainText('This leg');

  // The same thing is picked in the waterfall.
  await page.keyboard.press('3');
  await expect(page.getByRole('listbox', { name: /waterfall/ }).getByRole('option', { selected: true })).toContainText(/hero-marlin-bay\.jpg.*on the path/);

  // Two fixes into the plan: one by its button, one by the key.
  await page.keyboard.press('9');
  await page.getByRole('button', { name: /^Add to the plan: Put hero-marlin-bay\.jpg in the HTML/ }).click();
  await expect(page.getByRole('status').filter({ hasText: 'In the plan' })).toBeVisible();
  await page.getByRole('button', { name: /vendor\.js holds up rendering/ }).click();
  await expect(margin).toContainText('vendor.js holds up rendering');
  await page.keyboard.press('.');
  await page.getByRole('link', { name: 'To the plan' }).click();
  await expect(page.getByRole('heading', { level: 1 })).toContainText('fixes for skerryline.test');
  const fixes = page.locator('tbody tr');
  await expect(fixes.first()).toContainText('Put hero-marlin-bay.jpg in the HTML');
  await expect(page.getByText('Ordered by the milliseconds of the path')).toBeVisible();

  // Reorder, take it back.
  await page.getByRole('button', { name: /^Move down: Put hero/ }).click();
  await expect(fixes.first()).toContainText('vendor.js');
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect(fixes.first()).toContainText('Put hero-marlin-bay.jpg');

  // Set one aside, with its reason.
  await page.getByLabel(/^State of: Defer vendor\.js/).selectOption('set_aside');
  const dialog = page.getByRole('dialog', { name: 'Set aside, and why' });
  await dialog.getByLabel(/Reason/).fill('The theme’s makers are replacing it this winter.');
  await dialog.getByRole('button', { name: 'Set it aside' }).click();
  await expect(page.getByRole('region', { name: 'Set aside' })).toContainText('because: The theme’s makers');
  await page.reload();
  await expect(page.getByRole('region', { name: 'Set aside' })).toContainText('because: The theme’s makers');

  // Record again: as it is, and with the hero in the HTML, so that both are of this machine.
  await page.keyboard.press('r');
  const record = page.getByRole('dialog', { name: 'Record pages' });
  await record.getByLabel('Loads of each').fill('1');
  await record.getByLabel(/return visit/).uncheck();
  await record.getByRole('button', { name: 'Record one load' }).click();
  await expect(page.getByRole('heading', { level: 1 })).toContainText('largest paint comes at', { timeout: 90_000 });
  const before = seconds(await page.getByRole('heading', { level: 1 }).innerText());
  await page.keyboard.press('r');
  await record.getByLabel('Hero in the HTML, fetched first').check();
  await record.getByRole('button', { name: 'Record one load' }).click();
  await expect(page.getByText('Load 1 of 1', { exact: true })).toBeVisible();
  await expect(page.getByAltText('The newest picture of the page')).toBeVisible({ timeout: 60_000 });
  await expect(page.getByRole('heading', { level: 1 })).toContainText('largest paint comes at', { timeout: 90_000 });
  const after = seconds(await page.getByRole('heading', { level: 1 }).innerText());
  expect(after).toBeLessThan(before);
  await expect(margin).toContainText('img.deck-hero');
  await page.keyboard.press('2');
  await expect(path.getByRole('button', { name: /hero-marlin-bay\.jpg downloads/ }).first()).toBeVisible();
  await expect(inserted).toHaveCount(0);
  expect(problems).toEqual([]);
});

/** The time in a headline, in seconds. */
function seconds(text: string): number {
  const found = /([\d.,]+) (ms|s)\b(?!.*\d)/.exec(text);
  if (!found) throw new Error(`no time in “${text}”`);
  const value = Number((found[1] ?? '').replace(',', ''));
  return found[2] === 's' ? value : value / 1000;
}

test('a recording can be cancelled, and one that cannot be made says why', async ({ page }) => {
  await page.goto('/recordings');
  // Keys are heard once the screen stands.
  await expect(page.getByRole('heading', { level: 1 })).toBeVisible();
  await page.keyboard.press('r');
  const record = page.getByRole('dialog', { name: 'Record pages' });
  await record.getByLabel(/^Address/).fill('ftp://www.skerryline.test/');
  await record.getByRole('button', { name: /^Record/ }).click();
  await expect(record.getByRole('alert')).toContainText('only http and https can be recorded');
  await record.getByLabel(/^Address/).fill('http://no-such-host.skerryline.test/');
  await record.getByLabel('Loads of each').fill('1');
  await record.getByRole('button', { name: /^Record/ }).click();
  await expect(page.getByRole('alert')).toContainText('no-such-host.skerryline.test does not resolve', { timeout: 40_000 });

  await page.keyboard.press('r');
  await record.getByLabel(/^Address/).fill('http://www.skerryline.test/');
  await record.getByRole('button', { name: /^Record/ }).click();
  await page.getByRole('button', { name: 'Cancel the recording' }).click();
  await expect(page.getByRole('heading', { level: 1 })).toContainText('was cancelled');
});

test('a HAR of another maker gives a waterfall and says what it cannot tell', async ({ page }) => {
  const entries = Array.from({ length: 2000 }, (_, i) => ({
    startedDateTime: new Date(Date.UTC(2026, 10, 24, 9, 0, 0, i * 3)).toISOString(),
    time: 120,
    request: { method: 'GET', url: `https://shop.example/${i ? `plugins/p${i % 30}/file-${i}-with-a-very-long-name-indeed.js` : ''}`, headers: [] },
    response: {
      status: 200,
      headers: [{ name: 'content-type', value: i ? 'text/javascript' : 'text/html' }],
      content: { size: 9000, mimeType: i ? 'text/javascript' : 'text/html' },
      bodySize: 3000 + i,
      headersSize: 200,
    },
    timings: { blocked: 4, dns: -1, connect: -1, send: 1, wait: 80, receive: 35 },
  }));
  const file = { name: 'two-thousand.har', mimeType: 'application/json', buffer: Buffer.from(JSON.stringify({ log: { version: '1.2', entries } })) };
  await page.goto('/recordings');
  await page.getByLabel('File to import').setInputFiles(file);
  await expect(page.getByRole('heading', { level: 1 })).toContainText('over the line');
  await expect(page.getByText('A HAR holds no trace').first()).toBeVisible();
  await page.keyboard.press('3');
  await expect(page.getByText('2000 of 2000 requests')).toBeVisible();
  await page.keyboard.press('/');
  await page.keyboard.type('owner:p7 size>4kB');
  await expect(page.getByText(/^\d+ of 2000 requests$/)).not.toHaveText('2000 of 2000 requests');
  await expect(page).toHaveURL(/filter=owner/);
  await page.keyboard.press('Escape');
  await page.keyboard.press('j');
  await expect(page.getByRole('complementary', { name: 'Margin' })).toContainText('p7');
  await page.keyboard.press('2');
  await expect(page.getByRole('heading', { level: 1 })).toContainText('the largest paint is not known');

  const broken = { name: 'half.har', mimeType: 'application/json', buffer: file.buffer.subarray(0, 5000) };
  await page.goto('/recordings');
  await page.getByLabel('File to import').setInputFiles(broken);
  await expect(page.getByRole('status')).toContainText('half.har is cut off: the JSON ends too early');

  // Deleted, and brought back.
  const row = page.getByRole('row', { name: /shop\.example/ });
  await row.getByRole('button', { name: /^Delete/ }).click();
  await expect(row).toHaveCount(0);
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect(row).toHaveCount(1);
  await row.getByRole('button', { name: /^Delete/ }).click();
  await expect(row).toHaveCount(0);
});
