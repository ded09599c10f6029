import { IvrexError, windowOfSize, type Attribute, type Image, type Plane, type SampleType } from '@ivrex/core';
import type { AlphaSaid, ImageHeader, OpenedImage } from './image-format';

/** A picture file with one part and unnamed channels. */
export interface PlainFacts {
  readonly format: ImageHeader['format'];
  readonly compression: string;
  readonly width: number;
  readonly height: number;
  readonly samples: number;
  readonly hasAlpha: boolean;
  readonly type: SampleType;
  readonly pixelAspectRatio?: number;
  readonly attributes?: ReadonlyMap<string, Attribute>;
  readonly alpha?: AlphaSaid;
}

/** Y, YA, RGB, RGBA; samples beyond those are X1, X2 ... */
export function channelNames(samples: number, hasAlpha: boolean): string[] {
  const colours = samples - (hasAlpha ? 1 : 0) >= 3 ? ['R', 'G', 'B'] : ['Y'];
  const names = hasAlpha ? [...colours, 'A'] : colours;
  return Array.from({ length: samples }, (_, i) => names[i] ?? `X${i - names.length + 1}`);
}

export function plainHeader(facts: PlainFacts): ImageHeader {
  const window = windowOfSize(facts.width, facts.height);
  return {
    format: facts.format,
    parts: [
      {
        name: null,
        kind: 'scanline',
        compression: facts.compression,
        dataWindow: window,
        displayWindow: window,
        pixelAspectRatio: facts.pixelAspectRatio ?? 1,
        channels: channelNames(facts.samples, facts.hasAlpha).map((name) => ({ name, type: facts.type })),
        attributes: facts.attributes ?? new Map(),
        ...(facts.alpha === undefined ? {} : { alpha: facts.alpha }),
      },
    ],
  };
}

/** Samples as stored, by channel; whole numbers of 8 and 16 bits become fractions of their range, exactly invertible. */
export type StoredSamples = Uint8Array | Uint16Array | Uint32Array | Float32Array;

export function plainImage(header: ImageHeader, channel: (index: number) => StoredSamples): OpenedImage {
  const [part] = header.parts;
  return {
    header,
    warnings: [],
    async decode(_part, names): Promise<Image> {
      const wanted = names ?? part.channels.map((c) => c.name);
      const planes = wanted.map((name): Plane => {
        const index = part.channels.findIndex((c) => c.name === name);
        if (index < 0)
          throw new IvrexError('missingChannel', `there is no channel "${name}"; there are ${part.channels.map((c) => c.name).join(', ')}`);
        return { name, type: part.channels[index].type, data: fractions(channel(index)) };
      });
      return { displayWindow: part.displayWindow, dataWindow: part.dataWindow, planes };
    },
  };
}

function fractions(samples: StoredSamples): Float32Array | Uint32Array {
  if (samples instanceof Float32Array || samples instanceof Uint32Array) return samples;
  const most = samples instanceof Uint8Array ? 255 : 65535;
  const out = new Float32Array(samples.length);
  for (let i = 0; i < out.length; i++) out[i] = samples[i] / most;
  return out;
}

/** One channel of interleaved samples. */
export function pick(interleaved: Uint8Array | Uint16Array, channel: number, samples: number): Uint8Array | Uint16Array {
  const count = interleaved.length / samples;
  const out = interleaved instanceof Uint16Array ? new Uint16Array(count) : new Uint8Array(count);
  for (let i = 0, at = channel; i < out.length; i++, at += samples) out[i] = interleaved[at];
  return out;
}
