/** Stored values in words that `tryParseNothing` reads again: "0, 1e10". */
export function nothingText(values: readonly number[]): string {
  return values.map((v) => (Math.abs(v) >= 1e6 ? v.toExponential().replace('+', '') : String(v))).join(', ');
}

/** Up to four finite numbers with commas or blanks between them; null when the text is something else. */
export function tryParseNothing(text: string): number[] | null {
  const values = text
    .split(/[\s,;]+/)
    .filter((part) => part !== '')
    .map(Number);
  return values.length <= 4 && values.every(Number.isFinite) ? values : null;
}
