import { shotSettingsSchema, type ShotSettings } from './settings';
import type { ShotDocument } from './shot-document';

type Passes = Pick<ShotDocument, 'sequences' | 'passes'>;

/**
 * The settings of a document for a shot that has the same passes under other ids: passes are the same when their file has the same name below
 * the shot's folder, and their layer. What was said of passes that are not here is left out; `missing` names those that elements need, and
 * settings are null then.
 */
export function takeOver(
  document: Passes & Pick<ShotDocument, 'settings'>,
  here: Passes,
): { settings: ShotSettings | null; missing: string[] } {
  const nameOf = (of: Passes, id: string) => of.sequences.find((s) => s.id === id)?.name ?? '';
  const ids = new Map<string, string>();
  const names = new Map<string, string>();
  for (const sequence of document.sequences) {
    const same = here.sequences.find((s) => s.name === sequence.name);
    if (same !== undefined) ids.set(sequence.id, same.id);
  }
  for (const pass of document.passes) {
    const file = nameOf(document, pass.sequence);
    names.set(pass.id, pass.layer === '' ? file : `${file}, layer ${pass.layer}`);
    const same = here.passes.find((p) => p.layer === pass.layer && p.part === pass.part && nameOf(here, p.sequence) === file);
    if (same !== undefined) ids.set(pass.id, same.id);
  }
  const missing = new Set<string>();
  const known = <T>(record: Readonly<Record<string, T>>) =>
    Object.fromEntries(Object.entries(record).flatMap(([id, value]) => (ids.has(id) ? [[ids.get(id) ?? id, value]] : [])));
  const renamed = (value: unknown): unknown => {
    if (typeof value === 'string') {
      if (names.has(value) && !ids.has(value)) missing.add(names.get(value) ?? value);
      return ids.get(value) ?? value;
    }
    if (Array.isArray(value)) return value.map(renamed);
    if (typeof value !== 'object' || value === null) return value;
    return Object.fromEntries(Object.entries(value).map(([key, v]) => [key, renamed(v)]));
  };
  const { roles, offsets, readings, ...rest } = document.settings;
  const settings = { ...(renamed(rest) as object), roles: known(roles), offsets: known(offsets), readings: renamed(known(readings)) };
  return missing.size > 0 ? { settings: null, missing: [...missing] } : { settings: shotSettingsSchema.parse(settings), missing: [] };
}
