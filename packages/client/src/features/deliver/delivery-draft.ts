import {
  deliveryOptionsSchema,
  type DeliveryForm,
  type DeliveryOptions,
  type Element,
  type ElementId,
  type Product,
} from '@ivrex/contract';
import type { Encoding } from '@ivrex/core';

/** What may be chosen of one element. */
export interface ElementProducts {
  readonly picture: boolean;
  readonly motion: boolean;
  readonly trust: boolean;
  /** Its matte (""), and mattes of chosen objects by name. */
  readonly mattes: readonly string[];
}

export const NOTHING: ElementProducts = { picture: false, motion: false, trust: false, mattes: [] };

/** What the artist has chosen so far: of every form what it was last, so that trying another one loses nothing. */
export interface DeliveryDraft {
  readonly assembled: boolean;
  readonly elements: Readonly<Record<string, ElementProducts>>;
  /** Of the encodings on offer. */
  readonly motionAs: string;
  readonly kind: DeliveryForm['kind'];
  readonly forms: { readonly [K in DeliveryForm['kind']]: Extract<DeliveryForm, { kind: K }> };
  readonly name: string | null;
  readonly pattern: string | null;
  readonly firstFrame: number | null;
  readonly lastFrame: number | null;
  readonly every: number | null;
  readonly handles: number | null;
  readonly existing: DeliveryOptions['existing'];
  readonly priority: DeliveryOptions['priority'];
  readonly report: boolean;
}

export function newDraft(elements: readonly Element[], first: number, last: number): DeliveryDraft {
  // Light passes are in their element's picture.
  const together = elements.filter((e) => e.lightOf === null).length > 1;
  return {
    assembled: together,
    elements: together ? {} : { [elements[0].id]: { ...NOTHING, picture: true } },
    motionAs: 'same',
    kind: 'exr',
    forms: {
      exr: { kind: 'exr', type: 'half', compression: 'zip', window: 'full', together: true },
      tiff: { kind: 'tiff', depth: 'u16' },
      png: { kind: 'png', depth: 'u16' },
      movie: { kind: 'movie', codec: 'h264', burnIn: true },
    },
    name: null,
    pattern: null,
    firstFrame: first,
    lastFrame: last,
    every: 1,
    handles: 0,
    existing: 'changed',
    priority: 'normal',
    report: true,
  };
}

/** In the order of the elements. `encodingOf` gives what an element's motion is written as; null when it has none. */
export function productsOf(
  draft: DeliveryDraft,
  elements: readonly Element[],
  encodingOf: (element: Element) => Encoding | null,
): Product[] {
  const out: Product[] = draft.assembled ? [{ kind: 'assembled' }] : [];
  for (const element of elements) {
    const chosen = draft.elements[element.id] ?? NOTHING,
      id: ElementId = element.id;
    const to = encodingOf(element);
    if (chosen.picture) out.push({ kind: 'element', element: id });
    for (const name of chosen.mattes) out.push({ kind: 'matte', element: id, objects: name === '' ? null : name });
    if (chosen.motion && to !== null) out.push({ kind: 'motion', element: id, to });
    if (chosen.trust && to !== null) out.push({ kind: 'trust', element: id });
  }
  return out;
}

/** A name that says what is in it. */
export function usualName(shot: string, draft: DeliveryDraft, products: readonly Product[], elements: readonly Element[]): string {
  const [only] = products;
  if (products.length > 1) return `${shot}_passes`;
  if (draft.assembled || only === undefined) return `${shot}_assembled`;
  const of = elements.length > 1 && only.kind !== 'assembled' ? `${only.element ?? ''}_` : '';
  return `${shot}_${of}${only.kind === 'element' ? 'blurred' : only.kind}`.replace(/[^A-Za-z0-9_.-]+/g, '_');
}

/** File names that tell everything apart that is written. */
export function usualPattern(form: DeliveryForm, products: readonly Product[], existing: DeliveryOptions['existing']): string {
  const apart = products.length > 1 && !(form.kind === 'exr' && form.together);
  const version = existing === 'versionUp' ? '_v{version}' : '';
  return `{shot}/{name}${version}/{name}${apart ? '_{what}' : ''}${version}.{frame}`;
}

export type Checked = { readonly options: DeliveryOptions } | { readonly fault: string };

/** The options, or what is wrong with them. */
export function checkDraft(draft: DeliveryDraft, shot: string, products: Product[], elements: readonly Element[]): Checked {
  const form = draft.forms[draft.kind];
  const parsed = deliveryOptionsSchema.safeParse({
    name: draft.name ?? usualName(shot, draft, products, elements),
    pattern: draft.pattern ?? usualPattern(form, products, draft.existing),
    what: products,
    form,
    firstFrame: draft.firstFrame,
    lastFrame: draft.lastFrame,
    every: draft.every,
    handles: draft.handles,
    existing: draft.existing,
    priority: draft.priority,
    report: draft.report,
  });
  if (parsed.success) return { options: parsed.data };
  const [issue] = parsed.error.issues;
  const place = WORDS[String(issue.path[0])];
  const message = issue.code === 'invalid_type' ? 'a number is needed' : issue.message;
  return { fault: place === undefined ? message : `${place}: ${message}` };
}

const WORDS: Readonly<Record<string, string | undefined>> = {
  name: 'Name',
  pattern: 'File names',
  firstFrame: 'From',
  lastFrame: 'To',
  every: 'Every',
  handles: 'Handles',
};
