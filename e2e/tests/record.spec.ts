import { expect, test } from '@playwright/test';
import { askToRecord } from './open';

test('one page under two conditions, one of them one’s own, without a third party', async ({ page }) => {
  const record = await askToRecord(page);
  await record.getByRole('button', { name: 'Conditions of your own' }).click();
  const own = record.getByRole('group', { name: 'Conditions of your own' });
  await own.getByLabel('Name').fill('Lobby tablet');
  await own.getByLabel('Width, CSS px').fill('12');
  await own.getByRole('button', { name: 'Keep them' }).click();
  await expect(own.getByRole('alert')).toContainText('must lie between 200 and 4,000');
  await own.getByLabel('Width, CSS px').fill('820');
  await own.getByLabel('CPU, times slower').fill('1');
  await own.getByLabel(/^Down/).fill('12.5');
  await own.getByRole('button', { name: 'Keep them' }).click();
  const tablet = record.getByRole('checkbox', { name: /^Lobby tablet 820 × 800 .* 12\.5 Mbit\/s down/ });
  await expect(tablet).toBeChecked();
  await record.getByRole('checkbox', { name: /^Phone on the move/ }).uncheck();
  await record.getByRole('checkbox', { name: /^Unshaped/ }).check();
  await record.getByLabel('Loads of each').fill('1');
  await record.getByLabel(/return visit/).uncheck();
  await record.getByText('Without some hosts or files').click();
  await record.getByLabel(/^Hosts and parts of addresses/).fill('islandmedia.test');
  await record.getByRole('button', { name: 'Record 2 recordings of one load' }).click();

  // Both stand on one page, under one progress.
  const rows = page.getByRole('main').getByRole('row');
  await expect(rows).toHaveCount(3);
  await expect(rows.nth(1)).toContainText('Lobby tablet');
  await expect(page.getByRole('heading', { level: 1 })).toHaveText('2 recordings, all over', { timeout: 120_000 });
  await rows.nth(1).getByRole('link', { name: 'open' }).click();
  await expect(page.getByRole('heading', { level: 1 })).toContainText('largest paint comes at');
  await expect(page.getByRole('note').filter({ hasText: 'islandmedia.test' })).toBeVisible();
  await page.keyboard.press('3');
  await page.getByLabel('Filter requests by words and facts').fill('islandmedia.test failed:no');
  await expect(page.getByText(/^0 of \d+ requests$/)).toBeVisible();
  await page.goto('/recordings');
  await expect(page.getByRole('row', { name: /Lobby tablet.*without islandmedia\.test/ })).toBeVisible();

  await page.keyboard.press('r');
  await record.getByRole('button', { name: 'Forget Lobby tablet' }).click();
  await expect(tablet).toHaveCount(0);
});

test('a recording that is cancelled keeps the loads that it made', async ({ page }) => {
  const record = await askToRecord(page);
  await record.getByRole('checkbox', { name: /^Phone on the move/ }).uncheck();
  await record.getByRole('checkbox', { name: /^Unshaped/ }).check();
  await record.getByLabel(/return visit/).uncheck();
  await record.getByLabel('Loads of each').fill('9');
  await record.getByRole('button', { name: 'Record 9 loads' }).click();
  await expect(page.getByText('Load 3 of 9', { exact: true }).first()).toBeVisible({ timeout: 90_000 });
  await page.getByRole('button', { name: 'Cancel the recording' }).click();
  await expect(page.getByRole('heading', { level: 1 })).toContainText('was cancelled');
  await expect(page.getByRole('main')).toContainText(/[23] loads made until then are kept/);
  await page.getByRole('link', { name: 'Open what is kept' }).click();
  await expect(page.getByRole('heading', { level: 1 })).toContainText('largest paint comes at');
  await expect(page.getByRole('note').filter({ hasText: /Cancelled: [23] of 9 loads/ })).toBeVisible();
});

test('what opens a page is asked for, and not kept when the dialog closes', async ({ page }) => {
  const record = await askToRecord(page);
  await record.getByText('A page that is not public').click();
  await record.getByLabel(/^Request headers/).fill('no colon here');
  await record.getByRole('button', { name: /^Record/ }).click();
  await expect(record.getByRole('alert')).toContainText('One line is not a header');
  await record.getByRole('button', { name: 'Cancel' }).click();
  await page.keyboard.press('r');
  await record.getByText('A page that is not public').click();
  await expect(record.getByLabel(/^Request headers/)).toHaveValue('');
  // The kind of page follows the address until it is typed.
  await record.getByLabel(/^Address/).fill('https://www.skerryline.test/book/');
  await expect(record.getByLabel('Kind of page')).toHaveAttribute('placeholder', 'Booking');
  await record.getByLabel(/^Address/).fill('https://www.skerryline.test/book/\nMap https://www.skerryline.test/where/');
  await expect(record.getByText('Booking, Map.')).toBeVisible();
  await expect(record.getByRole('button', { name: 'Record 2 recordings of 3 loads' })).toBeEnabled();
});

test('a scripted user that cannot do its step says which, and the load is kept', async ({ page }) => {
  const record = await askToRecord(page);
  await record.getByLabel('Loads of each').fill('1');
  await record.getByRole('checkbox', { name: /^Phone on the move/ }).uncheck();
  await record.getByRole('checkbox', { name: /^Unshaped/ }).check();
  await record.getByLabel(/return visit/).uncheck();
  await record.getByText('Then do something').click();
  const steps = record.getByLabel(/^Steps of a scripted user/);
  await steps.fill('jump #high');
  await record.getByRole('button', { name: 'Record one load' }).click();
  await expect(record.getByRole('alert')).toContainText('“jump” is no step');
  await steps.fill('click #no-such-button');
  await record.getByText('How long, and what is kept').click();
  await record.getByLabel(/^Keep response bodies/).uncheck();
  await record.getByRole('button', { name: 'Record one load' }).click();
  await expect(page.getByRole('heading', { level: 1 })).toHaveText('No load of it counts', { timeout: 90_000 });
  await expect(page.getByRole('note').filter({ hasText: '#no-such-button' })).toBeVisible();
  const here = new URL(page.url()).pathname.replace(/\/glance$/, '');
  await page.goto(`${here}/document`);
  await expect(page.getByRole('main')).toContainText(/No response bodies were kept|not kept|no text/i);
});
