import { expect, test } from '@playwright/test';
import { open } from './open';

test('every screen passes axe, by day and by night, and works by keyboard', async ({ page }) => {
  // Two looks at eleven screens, each of some five seconds.
  test.setTimeout(300_000);
  const { default: AxeBuilder } = await import('@axe-core/playwright');
  await open(page, 'Home', 'Home laptop');
  const told: string[] = [];
  const here = new URL(page.url()).pathname.replace(/\/glance$/, '');
  for (const colorScheme of ['light', 'dark'] as const) {
    await page.emulateMedia({ colorScheme });
    for (const screen of ['/recordings', `${here}/glance`, `${here}/path`, `${here}/requests`, `${here}/frames`, `${here}/main-thread`, `${here}/weight`, `${here}/document`, `${here}/findings`, `${here}/trials`, '/sites/skerryline.test/plan']) {
      await page.goto(screen);
      await expect(page.getByRole('main')).toBeVisible();
      await expect(page.getByRole('status', { name: 'Loading' })).toHaveCount(0);
      const found = await new AxeBuilder({ page }).analyze();
      told.push(...found.violations.map((v) => `${colorScheme} ${screen}: ${v.id} ${v.nodes.slice(0, 3).map((n) => n.target.join(' ')).join(' | ')}`));
    }
  }
  expect(told).toEqual([]);
  await page.goto(`${here}/findings`);
  await expect(page.getByRole('heading', { level: 1 })).toContainText('findings');
  await page.keyboard.press('j');
  await expect(page).toHaveURL(/sel=finding/);
  await page.keyboard.press('m');
  await expect(page.getByRole('complementary', { name: 'Margin' })).toHaveCount(0);
  await page.keyboard.press('m');
  await page.keyboard.press('?');
  await expect(page.getByRole('dialog', { name: 'Keyboard' })).toBeVisible();
});
