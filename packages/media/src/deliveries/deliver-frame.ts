import path from 'node:path';
import {
  fileNameOf,
  filesOf,
  loneElement,
  productName,
  shutterOfElement,
  type DeliveryOptions,
  type Element,
  type ElementId,
  type Product,
} from '@ivrex/contract';
import { describeShutter, IvrexError, type Attribute, type Encoding } from '@ivrex/core';
import { assembleFrame, makeElement, makeLoneElement, type AssembledFrame, type FrameElement, type MadeElement } from './assemble-frame';
import { MADE_ATTRIBUTE, type BlurPool } from '../tasks/blur-pool';
import { assembledFrame, blurFrame, elementOf, frameElement, frameSources, rateOf, readyElement, visibleElements } from './element-frames';
import type { ExrForm, FlatForm, LayerContent, SavedFrame, TransformText } from '../tasks/save-frame';
import { reviewFrameFile } from '../writers/review-movie';
import type { ShotBook } from './shot-book';

/** How a product of one frame is made. Plain data: everything that the result depends on. */
export type ProductRequest =
  | { readonly kind: 'assembled'; readonly frame: AssembledFrame }
  | { readonly kind: 'element' | 'matte'; readonly element: FrameElement }
  | Extract<LayerContent, { kind: 'motion' | 'trust' }>;

/** One file of a delivered frame, before it is made. */
export interface FileRequest {
  readonly file: string;
  readonly layers: readonly { readonly name: string; readonly product: ProductRequest }[];
  readonly form: ExrForm | FlatForm;
  readonly attributes: ReadonlyMap<string, Attribute>;
}

/** @throws IvrexError badSetting when something is missing to begin with */
export function assertDeliverable(book: ShotBook, options: DeliveryOptions): void {
  const { settings } = book;
  for (const product of options.what) {
    if (product.kind === 'assembled') {
      visibleElements(settings).forEach(readyElement);
      continue;
    }
    const element = namedElement(settings.elements, product.element);
    readyElement(element);
    if ((product.kind === 'motion' || product.kind === 'trust') && (element.motion === null || element.encoding === null))
      throw new IvrexError('badSetting', `${element.name} has no motion that is read; see step Motion`);
    if (product.kind === 'matte' && product.objects !== null && !settings.mattes.some((m) => m.name === product.objects))
      throw new IvrexError('badSetting', `the shot has no matte "${product.objects}"; choose its objects in step Passes`);
  }
  if (seesThroughTable(options.form)) transformOf(book);
  if (options.form.kind === 'png' || options.form.kind === 'tiff')
    for (const product of options.what) if (product.kind === 'motion') assertFourChannels(product.to);
}

/** TIFF and PNG have no names for their channels but these. */
function assertFourChannels({ sets, alpha, name }: Encoding): void {
  const other = [...sets.flatMap((s) => [s.x, s.y, s.length]), alpha].find((c) => c !== null && !['R', 'G', 'B', 'A'].includes(c));
  if (other !== undefined)
    throw new IvrexError(
      'badSetting',
      `"${name}" stores motion in a channel "${other ?? ''}", and TIFF and PNG have R, G, B and A only; choose another encoding, or OpenEXR`,
    );
}

function seesThroughTable(form: DeliveryOptions['form']): boolean {
  return form.kind === 'movie' || ((form.kind === 'tiff' || form.kind === 'png') && form.depth !== 'float');
}

/** An element that is gone is said, not replaced by another. */
function namedElement(elements: readonly Element[], id: ElementId | null): Element {
  const found = id === null ? elements[0] : elements.find((e) => e.id === id);
  if (found === undefined) throw new IvrexError('badSetting', `the shot has no element "${id}" any more; choose again what to deliver`);
  return found;
}

/** Frames that there can be: the delivered element's own, or those of the main one. */
export function framesThere(book: ShotBook, { what }: Pick<DeliveryOptions, 'what'>): readonly number[] {
  return book.pass(elementOf(book.settings, loneElement(what)).beauty)?.frames ?? [book.document.firstFrame];
}

/** The files of one frame. `folder` is where deliveries go. @throws IvrexError badSetting, missingFrame */
export function fileRequests(book: ShotBook, options: DeliveryOptions, folder: string, frame: number): FileRequest[] {
  const { form } = options;
  return filesOf(options).map(({ name, products }) => {
    const file = path.join(folder, fileNameOf(options, book.document.name, name, frame));
    const layers = products.map((product) => ({
      name: products.length === 1 || product.kind === 'assembled' ? '' : productName(product),
      product: productRequest(book, product, frame),
    }));
    return {
      file: form.kind === 'movie' ? reviewFrameFile(file, frame) : file,
      layers,
      form: savedForm(book, options),
      attributes: factsOf(book, options, products),
    };
  });
}

function savedForm(book: ShotBook, { form }: DeliveryOptions): ExrForm | FlatForm {
  switch (form.kind) {
    case 'exr': {
      const { kind, type, compression, window } = form;
      return { kind, type, compression, window };
    }
    case 'tiff':
    case 'png':
      return { ...form, transform: transformOf(book), alpha: 'keep' };
    case 'movie':
      // ProRes has ten bits a sample, the others eight.
      return { kind: 'png', depth: form.codec === 'prores' ? 'u16' : 'u8', transform: transformOf(book), alpha: 'black' };
  }
}

/** @throws IvrexError badSetting when the table is not with the shot */
function transformOf({ settings: { displayTransform }, document: { tables } }: ShotBook): TransformText {
  if (typeof displayTransform === 'string') return displayTransform;
  const table = tables[displayTransform.lut];
  if (table === undefined) throw new IvrexError('badSetting', 'the table that the shot is shown through is not there; choose another view');
  return { cube: table.text, input: displayTransform.input };
}

/** What a header says of the shot. Nothing that differs from one rendering to the next: equal inputs make equal files. */
function factsOf(book: ShotBook, { version }: DeliveryOptions, products: readonly Product[]): Map<string, Attribute> {
  const { settings, document } = book;
  const text = (value: string): Attribute => ({ type: 'string', value });
  const facts = new Map<string, Attribute>([
    ['ivrexShot', text(document.name)],
    ['ivrexVersion', { type: 'int', value: version }],
    ['ivrexHolds', text(products.map(productName).join(', '))],
  ]);
  const element = elementOf(settings, loneElement(products));
  facts.set('ivrexShutter', text(describeShutter(shutterOfElement(settings, element))));
  const motion = products.find((p) => p.kind === 'motion');
  const encoding = motion?.kind === 'motion' ? motion.to : element.encoding;
  if (encoding !== null) facts.set('ivrexEncoding', text(JSON.stringify(encoding)));
  return facts;
}

function productRequest(book: ShotBook, product: Product, frame: number): ProductRequest {
  const { settings } = book;
  if (product.kind === 'assembled') return { kind: 'assembled', frame: assembledFrame(book, frame) };
  const element = namedElement(settings.elements, product.element);
  switch (product.kind) {
    case 'element':
      return { kind: 'element', element: frameElement(book, element, frame) };
    case 'matte':
      return { kind: 'matte', element: frameElement(book, cutBy(book, element, product.objects), frame) };
    case 'trust':
      return { kind: 'trust', request: blurFrame(book, frame, element) };
    case 'motion': {
      const { sources } = frameSources(book, frame, element);
      const { motion, beauty, encoding, repairs } = sources;
      return { kind: 'motion', request: { motion, beauty, from: encoding, repairs, to: product.to, fps: rateOf(book, element.beauty) } };
    }
  }
}

function cutBy({ settings }: ShotBook, element: Element, objects: string | null): Element {
  const matte = settings.mattes.find((m) => m.name === objects);
  return matte === undefined ? element : { ...element, matte: { kind: 'objects', pass: matte.pass, ids: matte.ids, invert: false } };
}

export interface DeliveredFile extends SavedFrame {
  readonly file: string;
}

/** Makes and writes the files of one frame; what several of them show is made once. @throws IvrexError about the file that is at fault */
export async function makeFiles(
  pool: BlurPool,
  files: readonly FileRequest[],
  frame: number,
  key: string,
  signal?: AbortSignal,
): Promise<DeliveredFile[]> {
  const known = new Map<string, Promise<MadeElement>>();
  const make = (element: FrameElement): Promise<MadeElement> => {
    const id = JSON.stringify(element.from),
      made = known.get(id) ?? makeElement(pool, element, signal);
    known.set(id, made);
    return made;
  };
  const out: DeliveredFile[] = [];
  for (const { file, layers, form, attributes } of files) {
    const header = new Map(attributes),
      made: string[] = [],
      warnings: string[] = [];
    const contents: { name: string; content: LayerContent }[] = [];
    for (const { name, product } of layers) {
      if (product.kind === 'motion' || product.kind === 'trust') {
        contents.push({ name, content: product });
        continue;
      }
      const picture =
        product.kind === 'assembled'
          ? await assembleFrame(pool, product.frame, signal, make)
          : await makeLoneElement(pool, product.element, frame, signal, make);
      const { rgba, displayWindow } = picture;
      made.push(picture.made);
      warnings.push(...picture.warnings);
      // The picture's own header comes first: what is said of the delivery wins.
      for (const [attribute, value] of picture.attributes) if (!header.has(attribute)) header.set(attribute, value);
      if (product.kind === 'matte') contents.push({ name, content: { kind: 'matte', rgba, displayWindow } });
      else
        contents.push({
          name,
          content: { kind: 'picture', rgba, displayWindow, opaque: product.kind === 'assembled' && product.frame.below !== null },
        });
    }
    header.set('ivrexKey', { type: 'string', value: key });
    if (made.length > 0) header.set(MADE_ATTRIBUTE, { type: 'string', value: [...new Set(made)].join('; ') });
    const saved = await pool.run<'saveFrame'>({ kind: 'saveFrame', request: { file, layers: contents, form, attributes: header } }, signal);
    out.push({ file, ...saved, warnings: [...new Set([...warnings, ...saved.warnings])] });
  }
  return out;
}
