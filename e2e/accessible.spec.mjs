// Every main view in both themes, beside the walks: it changes nothing.
import { test, expect } from '@playwright/test';
import AxeBuilder from '@axe-core/playwright';
import { signIn, watchConsole } from './helpers.mjs';

const views = {
  watch: '/',
  devices: '/devices',
  removed: '/devices/removed',
  device: '/devices/18',
  setup: '/devices/18/setup',
  browse: '/devices/18/browse?at=1.3.6.1.2.1.2.2.1.8',
  pick: '/devices/18/pick?at=1.3.6.1.2.1.2.2.1.8',
  series: '/series/1',
  find: '/find',
  sweep: '/find/new',
  'add by hand': '/find/add?kit=web-sign-in',
  'what to add': '/find/add',
  'own query': '/devices/12/query',
  collect: '/collect',
  kit: '/collect/kits/reachability',
  'kit by its things': '/collect/kits/ups/edit?open=readings/battery_voltage',
  'kit file': '/collect/kits/ups/edit?open=file',
  'devices of a kit': '/collect/kits/ups/devices',
  'fitting rules': '/collect/fitting',
  'fitting rule': '/collect/fitting/1',
  changes: '/collect/changes',
  collected: '/devices/18/collected',
  'move to a kit': '/devices/18/pick/move',
  credentials: '/collect/credentials',
  modules: '/collect/modules',
  recognition: '/find/recognition',
  credential: '/collect/credentials/new?kind=snmp-v3',
  latest: '/collect/values?group=device',
  wall: '/collect/values?view=wall&kit=ups',
  rules: '/judge',
  rule: '/judge/rules/1',
  'new rule': '/judge/rules/new',
  'rule on a reading': '/judge/rules/new?kit=interfaces&reading=in_errors&device=12',
  calendars: '/run/calendars',
  transitions: '/judge/transitions',
  incidents: '/incidents?state=all',
  incident: '/incidents/1',
  deliveries: '/respond/deliveries',
  plans: '/respond/plans',
  run: '/run',
  storage: '/run/storage?by=place',
  keep: '/run/storage?by=reading',
  keeping: '/run/storage/keep?kit=interfaces&reading=in&points=3',
  channels: '/run/channels',
  drill: '/run/drill',
  places: '/run/places',
  place: '/run/places/new',
  people: '/run/people',
  person: '/run/people/2',
  teams: '/run/teams',
  team: '/run/teams/1',
  accounts: '/run/accounts',
  audit: '/run/audit',
  me: '/me',
  trust: '/me/trust',
  gallery: '/gallery',
  missing: '/nowhere',
};
// What does not depend on colours is the same in both themes.
const allRules = (axe) => axe.withTags(['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa']);
const colours = (axe) => axe.withRules(['color-contrast', 'link-in-text-block']);
const half = Object.keys(views).length / 2;
const firsts = Object.entries(views).filter((_, i) => i < half);
const seconds = Object.entries(views).filter((_, i) => i >= half);
for (const [theme, part, some, rules] of [
  ['light', 'first half', firsts, allRules],
  ['light', 'second half', seconds, allRules],
  ['dark', 'first half', firsts, colours],
  ['dark', 'second half', seconds, colours],
]) {
  test(`every main view is accessible (${theme}, ${part})`, async ({ browser }) => {
    test.setTimeout(360_000); // a busy machine takes seconds for each of them
    const context = await browser.newContext({ colorScheme: theme, reducedMotion: 'reduce' });
    const page = await context.newPage();
    const problems = watchConsole(page);
    const check = async (name) => {
      const { violations } = await rules(new AxeBuilder({ page }).options({ resultTypes: ['violations'] })).analyze();
      expect(
        violations.map(
          (v) =>
            `${name}: ${v.id}: ${v.nodes
              .slice(0, 3)
              .map((n) => n.html + ' ' + (n.any[0]?.message ?? ''))
              .join(' | ')}`,
        ),
      ).toEqual([]);
    };
    await page.goto('/signin');
    if (some === firsts) await check('signin');
    await signIn(page);
    for (const [name, path] of some) {
      await page.goto(path);
      await expect(page.locator('html')).toHaveAttribute('data-bs-theme', theme);
      await check(name);
    }
    if (some === seconds) {
      await page.goto('/collect/values?kit=system&q=host-1');
      await page.getByRole('link', { name: 'Description' }).first().click();
      await expect(page.locator('svg.bands')).toBeVisible();
      await check('standing');
      await page.goto('/incidents/1');
      await page.locator('main .why').first().click();
      await expect(page.getByRole('dialog')).toBeVisible();
      await check('why');
    }
    expect(problems).toEqual([]);
    await context.close();
  });
}
