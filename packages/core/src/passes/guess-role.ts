/** What a pass seems to be, and why, in words. The artist confirms. */
export interface RoleGuess {
  readonly role: 'beauty' | 'motion' | 'depth' | 'ids' | 'matte' | 'shadow' | 'plate' | 'reference' | 'other';
  readonly reason: string;
}

export interface PassNames {
  /** The sequence's file name. */
  readonly file: string;
  readonly layer: string;
  readonly channels: readonly { readonly name: string; readonly type: 'half' | 'float' | 'uint' }[];
}

/** A guess from names and types alone. */
export function guessRole(pass: PassNames): RoleGuess {
  const names = pass.channels.map((c) => c.name);
  const layer = pass.layer.toLowerCase(),
    file = pass.file.toLowerCase();
  const has = (pattern: RegExp) => names.some((name) => pattern.test(name));
  if (/motion|vector|veloc|^mv/.test(layer) || has(/^(next|prev|forward|backward|motion|velocity)/i))
    return { role: 'motion', reason: `the ${layer === '' ? 'channels are' : 'layer is'} named for motion` };
  if (/depth|^z$/.test(layer) || (names.length <= 2 && has(/^z$/i))) return { role: 'depth', reason: 'a Z channel or a layer named depth' };
  if (/(^|[^a-z])ids?([^a-z]|$)|object|crypto/.test(layer) || (names.length > 0 && pass.channels.every((c) => c.type === 'uint')))
    return { role: 'ids', reason: 'whole numbers, or a layer named for ids' };
  if (/shadow/.test(layer) || (layer === '' && /shadow/.test(file))) return { role: 'shadow', reason: 'named shadow' };
  if (/matte|mask/.test(layer) || (names.length === 1 && has(/^a$/i)))
    return { role: 'matte', reason: 'a single coverage channel, or named matte' };
  if (!(has(/^r$/i) && has(/^g$/i) && has(/^b$/i)) && !has(/^y$/i))
    return { role: 'other', reason: 'neither a picture nor a known kind of data' };
  if (layer !== '') return { role: 'other', reason: 'a colour layer beside the main picture' };
  if (/plate|background|_bg/.test(file)) return { role: 'plate', reason: 'the file is named plate' };
  if (/ref|blur|_mb/.test(file)) return { role: 'reference', reason: 'the file name says that it is blurred' };
  return { role: 'beauty', reason: 'the main colour picture' };
}
