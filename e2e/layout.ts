import { expect, type Page } from '@playwright/test';

const SIZES = [
  { width: 1920, height: 1080 },
  { width: 1280, height: 800 },
] as const;

/** What is cut off sideways, and whether the page itself scrolls. */
function faultsOf(page: Page): Promise<string[]> {
  return page.evaluate(() => {
    const found: string[] = [],
      root = document.documentElement;
    if (root.scrollWidth > root.clientWidth || root.scrollHeight > root.clientHeight) found.push('the page scrolls');
    for (const element of document.querySelectorAll<HTMLElement>('.side, .top-bar, .viewer-bar, .shots-body'))
      if (element.scrollWidth > element.clientWidth + 1)
        found.push(`${element.className} is cut off: ${element.scrollWidth} > ${element.clientWidth}`);
    return found;
  });
}

/** At either size nothing is cut off sideways, and the page itself never scrolls. Leaves the page at 1280 x 800. */
export async function expectNothingCutOff(page: Page, name: string): Promise<void> {
  for (const size of SIZES) {
    await page.setViewportSize(size);
    // The layout follows in the next frames.
    await page.evaluate(() => new Promise((next) => requestAnimationFrame(() => requestAnimationFrame(next))));
    await expect.poll(() => faultsOf(page), { message: `${name} at ${size.width} x ${size.height}`, timeout: 5000 }).toEqual([]);
  }
}
