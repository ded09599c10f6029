/** Hands the artist a JSON file of that name. */
export function saveAsFile(name: string, content: unknown): void {
  handOver(`${name}.json`, new Blob([`${JSON.stringify(content, null, 2)}\n`], { type: 'application/json' }));
}

/** Hands the artist a file. `name` with its ending; what no file system likes in it is replaced. */
export function handOver(name: string, content: Blob): void {
  const url = URL.createObjectURL(content);
  const link = Object.assign(document.createElement('a'), { href: url, download: name.replace(/[^\w.-]+/g, '_') });
  link.click();
  URL.revokeObjectURL(url);
}
