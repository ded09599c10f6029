import { keyedValue, lightWord, type ShutterPlan } from '@ivrex/core';
import type { ElementPlace } from './assembly';
import type { ElementId, PassId } from './ids';
import { elementSchema, type Element, type Role, type ShotSettings } from './settings';
import { roleOf, type Pass } from './shot';

/** The shutter that an element has: its own, its surface's or the shot's, before its factor. */
export function shutterOf(settings: Pick<ShotSettings, 'shutter' | 'elements'>, element: Element): ShutterPlan {
  return element.shutter ?? surfaceOf(settings, element)?.shutter ?? settings.shutter;
}

/** The strength of an element's shutter is multiplied by this: a light pass's by its surface's too. */
export function factorOf(settings: Pick<ShotSettings, 'elements'>, element: Element): number {
  return element.factor * (surfaceOf(settings, element)?.factor ?? 1);
}

/** A shutter at so many times its strength. */
export function byFactor(plan: ShutterPlan, factor: number): ShutterPlan {
  if (factor === 1) return plan;
  return { ...plan, strength: plan.strength * factor, keys: plan.keys.map((key) => ({ ...key, strength: key.strength * factor })) };
}

/** The shutter that an element is blurred under. */
export function shutterOfElement(settings: Pick<ShotSettings, 'shutter' | 'elements'>, element: Element): ShutterPlan {
  return byFactor(shutterOf(settings, element), factorOf(settings, element));
}

/**
 * The settings with this element first, where everything that works on one element looks for it. Null or an element that is gone leaves the
 * main one.
 */
export function focusOn<T extends Pick<ShotSettings, 'elements'>>(settings: T, id: ElementId | null): T {
  const chosen = settings.elements.find((e) => e.id === id);
  return chosen === undefined ? settings : { ...settings, elements: [chosen, ...settings.elements.filter((e) => e !== chosen)] };
}

/** A change that was made to focused settings, with the elements in the order that they had; new ones come last. */
export function changeFocused(settings: ShotSettings, id: ElementId | null, change: (focused: ShotSettings) => ShotSettings): ShotSettings {
  const changed = change(focusOn(settings, id));
  const had = settings.elements.map((e) => e.id);
  const place = (e: Element) => (had.includes(e.id) ? had.indexOf(e.id) : had.length);
  return keepLinks(settings, { ...changed, elements: [...changed.elements].sort((a, b) => place(a) - place(b)) });
}

/** Elements that read their motion alike: after a change of one of them all are as that one. A link to an element that is gone is let go. */
export function keepLinks(before: ShotSettings, after: ShotSettings): ShotSettings {
  const ids = new Set(after.elements.map((e) => e.id));
  // A light pass of an element that is gone, or is one itself, would be nowhere.
  const placed = after.elements.map((e) => (e.lightOf !== null && surfaceOf(after, e) === null ? { ...e, lightOf: null } : e));
  const linked = placed.map((e) => (e.readAs !== null && (!ids.has(e.readAs) || e.readAs === e.id) ? { ...e, readAs: null } : e));
  const rootOf = (e: Element): ElementId => {
    let at = e;
    // A circle of links would have no root: after as many steps as there are elements it is cut.
    for (let n = 0; n < linked.length && at.readAs !== null; n++) at = linked.find((o) => o.id === at.readAs) ?? at;
    return at.id;
  };
  const reading = ({ encoding, repairs }: Element) => JSON.stringify([encoding, repairs]);
  return {
    ...after,
    elements: linked.map((e) => {
      const root = rootOf(e);
      const group = linked.filter((o) => rootOf(o) === root);
      if (group.length === 1) return e;
      const changed = group.find((o) => {
        const old = before.elements.find((b) => b.id === o.id);
        return old !== undefined && old.readAs === o.readAs && reading(old) !== reading(o);
      });
      const source = changed ?? group.find((o) => o.id === root) ?? e;
      return { ...e, encoding: source.encoding, repairs: source.repairs };
    }),
  };
}

/** Elements that are laid over each other, the nearest first. Light passes are part of another one. */
export function stackOf({ elements, assembly }: Pick<ShotSettings, 'elements' | 'assembly'>): Element[] {
  const { order } = assembly;
  const place = (e: Element) => order.indexOf(e.id);
  return elements.filter((e) => surfaceOf({ elements }, e) === null).sort((a, b) => place(a) - place(b));
}

/** The same, each followed by its light passes. */
export function listedElements(settings: Pick<ShotSettings, 'elements' | 'assembly'>): Element[] {
  return stackOf(settings).flatMap((e) => [e, ...lightPassesOf(settings, e)]);
}

/** The element that a light pass belongs to; null for one in its own right. */
export function surfaceOf({ elements }: Pick<ShotSettings, 'elements'>, { id, lightOf }: Pick<Element, 'id' | 'lightOf'>): Element | null {
  return lightOf === null || lightOf === id ? null : (elements.find((e) => e.id === lightOf && e.lightOf === null) ?? null);
}

export function lightPassesOf({ elements }: Pick<ShotSettings, 'elements'>, { id, lightOf }: Pick<Element, 'id' | 'lightOf'>): Element[] {
  return lightOf !== null ? [] : elements.filter((e) => e.lightOf === id && e.id !== id);
}

/** A light pass that is blurred apart: one without a picture, or without motion that is read, stays with the surface. */
export function isApart({ beauty, motion, encoding }: Element): boolean {
  return beauty !== null && motion !== null && encoding !== null;
}

/** The light passes that are taken out of an element's beauty and blurred apart, hidden ones too. */
export function lightsOf(settings: Pick<ShotSettings, 'elements'>, element: Pick<Element, 'id' | 'lightOf'>): Element[] {
  return lightPassesOf(settings, element).filter(isApart);
}

/** The settings with the first element's light passes left in its beauty. */
export function withoutLights<T extends Pick<ShotSettings, 'elements'>>(settings: T): T {
  const lights = lightPassesOf(settings, settings.elements[0]);
  return lights.length === 0 ? settings : { ...settings, elements: settings.elements.filter((e) => !lights.includes(e)) };
}

/** The element as it is blurred: a light pass covers what its surface covers, and is cut, defocused and hidden by others as that is. */
export function blurredElement(settings: Pick<ShotSettings, 'elements'>, element: Element): Element {
  const surface = surfaceOf(settings, element);
  if (surface === null) return element;
  const { depth, depthEncoding, ids, idChannel, matte, place } = surface;
  return {
    ...element,
    depth,
    depthEncoding,
    ids,
    idChannel,
    matte,
    place: {
      ...element.place,
      edge: place.edge,
      defocus: place.defocus,
      shadow: null,
      fromPlate: false,
      blend: 'over',
      gradeWhen: 'before',
    },
  };
}

/** When an element is graded: one with light passes once they are added, as a grade of parts is not the grade of their sum. */
export function gradeWhenOf(settings: Pick<ShotSettings, 'elements'>, element: Element): ElementPlace['gradeWhen'] {
  return lightsOf(settings, element).length > 0 ? 'after' : element.place.gradeWhen;
}

export function opacityAt({ opacity, opacityKeys }: Pick<ElementPlace, 'opacity' | 'opacityKeys'>, frame: number): number {
  return keyedValue(opacityKeys, (key) => key.value, opacity, frame);
}

/** The pass that lies below all. */
export function passBelow<P extends { readonly id: PassId; readonly guess: { readonly role: Role } }>(
  { assembly, background, roles }: Pick<ShotSettings, 'assembly' | 'background' | 'roles'>,
  passes: readonly P[],
): P | null {
  switch (assembly.below) {
    case 'nothing':
      return null;
    case 'background':
      return passes.find((p) => p.id === background) ?? null;
    case 'plate':
      return passes.find((p) => p.id === assembly.plate) ?? passes.find((p) => roleOf({ roles }, p) === 'plate') ?? null;
  }
}

/** An id that no element has: from the name, so that it can be recognised in files. */
export function freeElementId(elements: readonly Element[], name: string): ElementId {
  const base =
    name
      .toLowerCase()
      .replace(/[^a-z0-9]+/g, '-')
      .replace(/^-+|-+$/g, '')
      .slice(0, 30) || 'element';
  for (let n = 1; ; n++) {
    const id = (n === 1 ? base : `${base}-${n}`) as ElementId;
    if (!elements.some((e) => e.id === id)) return id;
  }
}

/** An element with everything else as it usually is. */
export function newElement(elements: readonly Element[], given: Partial<Element> & { readonly name: string }): Element {
  return elementSchema.parse({
    id: freeElementId(elements, given.name),
    beauty: null,
    motion: null,
    depth: null,
    ids: null,
    encoding: null,
    shutter: null,
    ...given,
  });
}

/** What of a shot's passes no element uses yet, as the elements that they would make. */
export function proposedElements(settings: ShotSettings, passes: readonly Pass[]): Element[] {
  const { elements } = settings,
    main = elements[0];
  const used = new Set<PassId | null>(elements.flatMap((e) => [e.beauty, e.matte?.pass ?? null]));
  const isFree = (p: Pass, role: string) => !used.has(p.id) && roleOf(settings, p) === role;
  const beside = (p: Pass, role: string) => passes.find((o) => o.sequenceId === p.sequenceId && roleOf(settings, o) === role) ?? null;
  const plate = passes.find((p) => roleOf(settings, p) === 'plate') ?? null;
  const out: Element[] = [];
  const add = (given: Partial<Element> & { readonly name: string }) => out.push(newElement([...elements, ...out], given));
  /** Of another file of the same make: the main element's reading is the likeliest. */
  const readAlike = (motion: Pass | null): Partial<Element> => {
    const mine = passes.find((p) => p.id === main.motion);
    const alike = motion !== null && mine !== undefined && mine.layer === motion.layer && namesOf(mine) === namesOf(motion);
    return { motion: motion?.id ?? null, ...(alike ? { readAs: main.id, encoding: main.encoding, repairs: main.repairs } : {}) };
  };
  for (const p of passes.filter((o) => isFree(o, 'shadow'))) {
    const rest = p.ranges?.find((r) => /^(a|r|y)$/i.test(r.name))?.rest ?? 0;
    const hasAlpha = p.channels.some((c) => /^a(lpha)?$/i.test(c.name));
    const reads = !hasAlpha && rest > 0.5 ? 'light' : 'density';
    const way = reads === 'light' ? 'multiply' : 'holdOut';
    add({
      name: p.name,
      beauty: p.id,
      ...readAlike(beside(p, 'motion')),
      depth: null,
      place: { ...main.place, ...PLAIN_PLACE, shadow: { reads, way }, blend: way === 'multiply' ? 'multiply' : 'over' },
    });
  }
  for (const p of passes.filter((o) => isFree(o, 'light'))) {
    const surface = elements.find((e) => e.lightOf === null && passOf(passes, e)?.sequenceId === p.sequenceId) ?? main,
      beauty = passOf(passes, surface),
      word = lightWord(p.layer === '' ? p.name : p.layer);
    if (beauty === undefined || beauty.width !== p.width || beauty.height !== p.height) continue;
    const motion = passes.find(
      (o) => roleOf(settings, o) === 'motion' && word !== null && lightWord(o.layer === '' ? o.name : o.layer) === word,
    );
    add({ name: p.layer === '' ? p.name : p.layer, beauty: p.id, ...readAlike(motion ?? null), lightOf: surface.id });
  }
  for (const p of passes.filter((o) => isFree(o, 'beauty') && beside(o, 'motion') !== null && o.width === passOf(passes, main)?.width))
    add({
      name: p.name,
      beauty: p.id,
      ...readAlike(beside(p, 'motion')),
      depth: beside(p, 'depth')?.id ?? null,
      ids: beside(p, 'ids')?.id ?? null,
    });
  if (plate !== null)
    for (const p of passes.filter((o) => isFree(o, 'matte')))
      add({
        name: p.name,
        beauty: plate.id,
        matte: { kind: 'pass', pass: p.id, invert: false },
        place: { ...main.place, ...PLAIN_PLACE, fromPlate: true, defocus: false },
      });
  return out;
}

const PLAIN_PLACE = {
  visible: true,
  blend: 'over',
  opacity: 1,
  opacityKeys: [],
  edge: { trimPx: 0, softenPx: 0 },
  grade: null,
  gradeWhen: 'before',
  defocus: true,
  shadow: null,
  fromPlate: false,
} as const satisfies ElementPlace;

function passOf(passes: readonly Pass[], { beauty }: Element): Pass | undefined {
  return passes.find((p) => p.id === beauty);
}

function namesOf({ channels }: Pass): string {
  return channels
    .map((c) => c.name)
    .sort()
    .join(' ');
}

/**
 * The settings with new elements: what is of the plate goes in front of all, shadows behind all, the rest in front of what there was, but for what
 * of the plate stands at the front already.
 */
export function withElements(settings: ShotSettings, added: readonly Element[]): ShotSettings {
  const elements = [...settings.elements, ...added],
    order = stackOf(settings).map((e) => e.id);
  const isOfPlate = (id: ElementId) => elements.find((e) => e.id === id)?.place.fromPlate ?? false;
  for (const { id, place, lightOf } of added) {
    if (lightOf !== null) continue;
    if (place.shadow !== null) order.push(id);
    else if (place.fromPlate) order.unshift(id);
    else {
      const behind = order.findIndex((other) => !isOfPlate(other));
      order.splice(behind < 0 ? order.length : behind, 0, id);
    }
  }
  return { ...settings, elements, assembly: { ...settings.assembly, order } };
}
