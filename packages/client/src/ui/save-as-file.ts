/** Hands the artist a JSON file of that name. */
export function saveAsFile(name: string, content: unknown): void {
  const url = URL.createObjectURL(new Blob([`${JSON.stringify(content, null, 2)}\n`], { type: 'application/json' }));
  const link = Object.assign(document.createElement('a'), { href: url, download: `${name.replace(/[^\w.-]+/g, '_')}.json` });
  link.click();
  URL.revokeObjectURL(url);
}
