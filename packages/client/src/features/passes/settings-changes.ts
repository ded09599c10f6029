import type { DepthEncoding } from '@ivrex/core';
import type { Fix, Pass, PassId, PictureChoice, Role, ShotSettings } from '@ivrex/contract';

/** One pass a role in the element: giving a pass a role takes it from the one that had it. */
export function withRole(settings: ShotSettings, passes: readonly Pass[], passId: PassId, role: Role): ShotSettings {
  const roles = { ...settings.roles, [passId]: role };
  const pick = (wanted: Role, current: PassId | null): PassId | null =>
    role === wanted ? passId : current === passId ? (passes.find((p) => p.id !== passId && roles[p.id] === wanted)?.id ?? null) : current;
  const [first, ...others] = settings.elements;
  const motion = pick('motion', first.motion),
    depth = pick('depth', first.depth),
    ids = pick('ids', first.ids);
  // An encoding belongs to the pass it was agreed for.
  const element = {
    ...first,
    beauty: pick('beauty', first.beauty),
    motion,
    depth,
    ids,
    idChannel: ids === first.ids ? first.idChannel : null,
    encoding: motion === first.motion ? first.encoding : null,
    depthEncoding: depth === first.depth ? first.depthEncoding : null,
  };
  return { ...settings, roles, elements: [element, ...others] };
}

/** Null: as it is measured. */
export function withDepthEncoding(settings: ShotSettings, depthEncoding: DepthEncoding | null): ShotSettings {
  const [first, ...others] = settings.elements;
  const kept = depthEncoding && { ...depthEncoding, nothing: [...depthEncoding.nothing] };
  return { ...settings, elements: [{ ...first, depthEncoding: kept }, ...others] };
}

/** Null: the one that holds ids is found. */
export function withIdChannel(settings: ShotSettings, idChannel: string | null): ShotSettings {
  const [first, ...others] = settings.elements;
  return { ...settings, elements: [{ ...first, idChannel }, ...others] };
}

export function withReading(settings: ShotSettings, passId: PassId, reading: PictureChoice): ShotSettings {
  return { ...settings, readings: { ...settings.readings, [passId]: reading } };
}

/** `offset` 0 is no entry. */
export function withOffset(settings: ShotSettings, sequenceId: string, offset: number): ShotSettings {
  const others = Object.entries(settings.offsets).filter(([id]) => id !== sequenceId);
  return { ...settings, offsets: Object.fromEntries(offset === 0 ? others : [...others, [sequenceId, offset]]) };
}

/** What a finding's button does. */
export function withFix(settings: ShotSettings, passes: readonly Pass[], fix: Fix): ShotSettings {
  switch (fix.kind) {
    case 'shiftFrames':
      return withOffset(settings, fix.sequenceId, fix.offset);
    case 'setReading':
      return withReading(settings, fix.passId, fix.reading);
    case 'setRate':
      return { ...settings, fps: fix.fps };
    case 'setRole':
      return withRole(settings, passes, fix.passId, fix.role);
    case 'trimEdge':
      return {
        ...settings,
        elements: settings.elements.map((e) =>
          e.beauty === fix.passId ? { ...e, place: { ...e.place, edge: { ...e.place.edge, trimPx: fix.trimPx } } } : e,
        ),
      };
    case 'doWithout': {
      const without = (e: ShotSettings['elements'][number]) => ({
        ...e,
        ...(e.depth === fix.passId ? { depth: null, depthEncoding: null } : {}),
        ...(e.ids === fix.passId ? { ids: null, idChannel: null } : {}),
      });
      return { ...settings, elements: settings.elements.map(without) as ShotSettings['elements'] };
    }
  }
}
