import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import type { Page } from 'playwright-core';

const axe = readFileSync(createRequire(import.meta.url).resolve('axe-core/axe.min.js'), 'utf8');

interface Finding {
  readonly id: string;
  readonly nodes: readonly { readonly html: string }[];
}

/** What checkers of accessibility find against a page that lets scripts in; `only` some rules, or those of the guidelines. */
export async function findings(page: Page, only?: string): Promise<string[]> {
  // Looked at again, a page has the checker still.
  if (!(await page.evaluate(() => 'axe' in window))) await page.evaluate(axe);
  await page.locator('.ant-btn-loading').first().waitFor({ state: 'detached' });
  // Colours on their way from one to another are neither.
  await page.waitForFunction(() =>
    document
      .getAnimations()
      .every((one) => one.playState !== 'running' || one.effect?.getTiming().iterations === Infinity),
  );
  const found = await page.evaluate(async (rule) => {
    const { axe: checker } = window as unknown as {
      axe: { run(options: object): Promise<{ violations: Finding[] }> };
    };
    if (rule !== undefined) return (await checker.run({ runOnly: [rule] })).violations;
    const runOnly = ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa'];
    // No guideline asks for them; whoever reads by ear goes by them.
    const landmarks = ['landmark-one-main', 'region', 'page-has-heading-one'];
    const rules = Object.fromEntries(landmarks.map((one) => [one, { enabled: true }]));
    return (await checker.run({ runOnly, rules })).violations;
  }, only);
  return found.map((one) => `${one.id}: ${one.nodes.map((node) => node.html.slice(0, 160)).join(' | ')}`);
}
