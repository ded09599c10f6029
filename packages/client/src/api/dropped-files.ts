import type { FileToSend } from './uploads';

/** Files of a drop, folders opened; the first folder's name, or that of the first file. */
export async function filesOfDrop(data: DataTransfer): Promise<{ name: string; files: FileToSend[] }> {
  const entries = Array.from(data.items, (item) => item.webkitGetAsEntry()).filter((entry) => entry !== null);
  // Some sources hand over plain files without a place in a folder.
  if (entries.length === 0) return filesOfInput(data.files);
  const lone = entries.length === 1 && entries[0].isDirectory ? entries[0] : null;
  const files: FileToSend[] = [];
  // Paths of a single dropped folder are counted from inside it.
  for (const entry of entries) await collect(entry, lone === null ? entry.name : '', files);
  return { name: lone?.name ?? nameOf(files), files };
}

/** Files chosen through a dialog; a chosen folder puts itself in front of each path. */
export function filesOfInput(list: FileList): { name: string; files: FileToSend[] } {
  const files = Array.from(list, (file) => {
    const parts = (file as File & { webkitRelativePath?: string }).webkitRelativePath?.split('/') ?? [];
    return { path: parts.length > 1 ? parts.slice(1).join('/') : file.name, file, folder: parts.length > 1 ? parts[0] : null };
  });
  return { name: files[0]?.folder ?? nameOf(files), files: files.map(({ path, file }) => ({ path, file })).filter(isShown) };
}

function nameOf(files: readonly FileToSend[]): string {
  return (files[0]?.path.split('/').pop() ?? 'Upload').replace(/[._-]*\d*\.\w+$/, '') || 'Upload';
}

function isShown({ path }: FileToSend): boolean {
  return !path.split('/').some((part) => part.startsWith('.'));
}

async function collect(entry: FileSystemEntry, path: string, out: FileToSend[]): Promise<void> {
  if (entry.name.startsWith('.')) return;
  if (entry.isFile) {
    const file = await new Promise<File>((resolve, reject) => (entry as FileSystemFileEntry).file(resolve, reject));
    out.push({ path, file });
    return;
  }
  const reader = (entry as FileSystemDirectoryEntry).createReader();
  // A reader hands out a hundred entries at a time.
  for (;;) {
    const batch = await new Promise<FileSystemEntry[]>((resolve, reject) => reader.readEntries(resolve, reject));
    if (batch.length === 0) return;
    for (const inside of batch) await collect(inside, path === '' ? inside.name : `${path}/${inside.name}`, out);
  }
}
