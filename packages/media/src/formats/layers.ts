import { cryptomattesOf, IvrexError, joinChannelName, rankOf, splitChannelName, type Attribute, type Cryptomatte } from '@ivrex/core';
import type { ImageHeader, ImagePart } from './image-format';

/** One layer of one part. */
export interface LayerChoice {
  readonly part: number;
  readonly layer: string;
}

/** Every layer of a file with its channels (short names), in the order of the file. The rank layers of a Cryptomatte are one. */
export function layersOf(file: ImageHeader): { readonly part: number; readonly layer: string; readonly channels: readonly string[] }[] {
  return file.parts.flatMap((part, index) => {
    const layers = new Map<string, string[]>();
    for (const { name } of part.channels) {
      const { layer, short } = placeOf(part, name);
      layers.set(layer, [...(layers.get(layer) ?? []), short]);
    }
    return [...layers].map(([layer, channels]) => ({ part: index, layer, channels }));
  });
}

/** Layer and short name of a channel: "crypto_object01.R" is channel "01.R" of the Cryptomatte "crypto_object". */
function placeOf(part: ImagePart, name: string): { layer: string; short: string } {
  const { layer, channel } = splitChannelName(name);
  for (const crypto of cryptomattesOf(part.attributes)) {
    if (rankOf(layer, crypto.name) !== null) return { layer: crypto.name, short: `${layer.slice(-2)}.${channel}` };
  }
  return { layer, short: channel };
}

/** The Cryptomatte that a layer is, if it is one. */
export function cryptomatteOf(file: ImageHeader, choice: LayerChoice): Cryptomatte | null {
  return cryptomattesOf(file.parts[choice.part].attributes).find((c) => c.name === choice.layer) ?? null;
}

/** Finds what "::NAME" means: a layer of any part, or a part of that name (its plain layer, else its first). @throws IvrexError missingLayer */
export function chooseLayer(file: ImageHeader, name: string | null): LayerChoice {
  const all = layersOf(file);
  if (name === null) return { part: 0, layer: all.find((l) => l.part === 0 && l.layer === '')?.layer ?? all[0].layer };
  const byLayer = all.find((l) => l.layer === name);
  if (byLayer) return { part: byLayer.part, layer: byLayer.layer };
  const part = file.parts.findIndex((p) => p.name === name);
  if (part >= 0)
    return { part, layer: all.find((l) => l.part === part && l.layer === '')?.layer ?? all.find((l) => l.part === part)?.layer ?? '' };
  const known = [...new Set([...all.map((l) => l.layer), ...file.parts.flatMap((p) => (p.name === null ? [] : [p.name]))])].map((n) =>
    n === '' ? '(plain)' : n,
  );
  throw new IvrexError('missingLayer', `there is no layer or part "${name}"; there are ${known.join(', ')}`);
}

/** Full names of the layer's channels. */
export function channelsInLayer(file: ImageHeader, choice: LayerChoice): string[] {
  const part = file.parts[choice.part];
  return part.channels.map((c) => c.name).filter((name) => placeOf(part, name).layer === choice.layer);
}

/** The name that a channel has inside its layer. */
export function shortName(file: ImageHeader, choice: LayerChoice, name: string): string {
  return placeOf(file.parts[choice.part], name).short;
}

/** R, G, B, A of a picture layer by name; a lone channel stands for all three colours. */
export function pictureChannels(names: readonly string[], layer: string): [string | null, string | null, string | null, string | null] {
  const find = (...candidates: string[]) => candidates.map((c) => joinChannelName(layer, c)).find((name) => names.includes(name)) ?? null;
  const alpha = find('A', 'a', 'alpha');
  const red = find('R', 'r', 'red'),
    green = find('G', 'g', 'green'),
    blue = find('B', 'b', 'blue');
  if (red !== null || green !== null || blue !== null) return [red, green, blue, alpha];
  const grey = find('Y', 'y') ?? names.find((name) => name !== alpha) ?? alpha;
  return [grey, grey, grey, alpha];
}

/** framesPerSecond from a header; null when it does not say. */
export function headerRate(attributes: ReadonlyMap<string, Attribute>): number | null {
  const value = attributes.get('framesPerSecond')?.value;
  return Array.isArray(value) && typeof value[0] === 'number' && typeof value[1] === 'number' && value[1] > 0 ? value[0] / value[1] : null;
}
