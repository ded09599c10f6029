/** "62 MB": bytes for reading. */
export function bytesText(bytes: number): string {
  const units = ['bytes', 'kB', 'MB', 'GB', 'TB'];
  let value = bytes,
    unit = 0;
  // What would be rounded to 1000 is one of the next.
  while (value >= 999.5 && unit < units.length - 1) {
    value /= 1000;
    unit++;
  }
  return `${value < 9.95 && unit > 0 ? value.toFixed(1) : Math.round(value)} ${units[unit]}`;
}

/** "40 s", "12 min", "3 h 5 min": a stretch of time for reading. */
export function timeText(seconds: number): string {
  if (seconds < 90) return `${Math.max(1, Math.ceil(seconds))} s`;
  const minutes = Math.round(seconds / 60);
  return minutes < 90 ? `${minutes} min` : `${Math.floor(minutes / 60)} h ${minutes % 60} min`;
}
