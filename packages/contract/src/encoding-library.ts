import type { Encoding } from '@ivrex/core';
import { z } from 'zod';
import { encodingSchema } from './encoding-schema';
import { encodingIdSchema, shotIdSchema } from './ids';
import type { Pass } from './shot';

const versionSchema = z.object({
  id: encodingIdSchema,
  version: z.number().int(),
  document: encodingSchema,
  createdAt: z.string(),
});
export type EncodingVersion = z.infer<typeof versionSchema>;

/** A kept encoding: its newest version, the older ones, and who reads a pass with any of them. */
export const savedEncodingSchema = versionSchema.extend({
  name: z.string(),
  /** What the pass looked like that it was kept for; null when it came without one. */
  fingerprint: z.string().nullable(),
  /** Newest first, the newest included. */
  versions: z.array(versionSchema),
  usedBy: z.array(z.object({ shotId: shotIdSchema, shot: z.string() })),
});
export type SavedEncoding = z.infer<typeof savedEncodingSchema>;

export const saveEncodingSchema = z.strictObject({
  name: z.string().trim().min(1).max(120),
  document: encodingSchema,
  fingerprint: z.string().max(20000).nullable().default(null),
});

/** Header entries that name the program which wrote a file. */
const WRITERS = /^(software|renderer|writer|generator|creator)$/i;

/** Passes with the same one come from the same kind of source: channel names and types, format, and the program that the header names. */
export function fingerprintOf(pass: Pick<Pass, 'channels' | 'format' | 'facts'>): string {
  const channels = pass.channels.map((c) => `${c.name}:${c.type}`).sort();
  const writers = pass.facts.filter((f) => WRITERS.test(f.name)).map((f) => `${f.name.toLowerCase()}=${f.value}`);
  return [pass.format, ...channels, ...writers.sort()].join(' ');
}

/** The same way of storing motion: names and notes do not count, nor does the order of entries. */
export function isSameEncoding(a: Encoding, b: Encoding): boolean {
  return meaningOf(a) === meaningOf(b);
}

function meaningOf(encoding: Encoding): string {
  return JSON.stringify({ ...encodingSchema.parse(encoding), name: '', note: '' }, (_, value: unknown) =>
    typeof value === 'object' && value !== null && !Array.isArray(value)
      ? Object.fromEntries(
          Object.entries(value)
            .filter(([, v]) => v !== undefined)
            .sort(([x], [y]) => (x < y ? -1 : 1)),
        )
      : value,
  );
}
