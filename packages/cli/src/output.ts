/** The command's answer: one JSON object with --json, else the given lines. Nothing else goes to stdout. */
export function answer(json: boolean, value: object, lines: () => readonly string[]): void {
  process.stdout.write(json ? `${JSON.stringify(value)}\n` : `${lines().join('\n')}\n`);
}

export function warn(text: string): void {
  process.stderr.write(`ivrex: warning: ${text}\n`);
}

/** A progress line on a terminal; nothing elsewhere. */
export function progress(text: string, last: boolean): void {
  if (process.stderr.isTTY) process.stderr.write(`\r${text}\x1b[K${last ? '\n' : ''}`);
}

/** JSON has no infinity: an infinite PSNR (equal pictures) is written as null beside `equal: true`. */
export function finiteOrNull(value: number | null): number | null {
  return value !== null && Number.isFinite(value) ? value : null;
}
