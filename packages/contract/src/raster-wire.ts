import { z } from 'zod';

/**
 * How pixels travel from server to page: 4 bytes header length, the header as JSON, padding to 16, then the planes one after
 * another. A picture is one plane "rgba" of four interleaved halves; data are float32 planes by short channel name.
 */
export const rasterHeaderSchema = z.object({
  width: z.number().int().positive(),
  height: z.number().int().positive(),
  format: z.enum(['rgba16f', 'planes32f']),
  names: z.array(z.string()),
});
export type RasterHeader = z.infer<typeof rasterHeaderSchema>;

const ALIGN = 16;

export function packRaster(header: RasterHeader, planes: readonly (Uint16Array | Float32Array)[]): Uint8Array {
  const text = new TextEncoder().encode(JSON.stringify(header));
  const start = Math.ceil((4 + text.length) / ALIGN) * ALIGN;
  const out = new Uint8Array(start + planes.reduce((sum, plane) => sum + plane.byteLength, 0));
  new DataView(out.buffer).setUint32(0, text.length, true);
  out.set(text, 4);
  let at = start;
  for (const plane of planes) {
    out.set(new Uint8Array(plane.buffer, plane.byteOffset, plane.byteLength), at);
    at += plane.byteLength;
  }
  return out;
}

export interface Raster {
  readonly header: RasterHeader;
  readonly planes: readonly (Uint16Array | Float32Array)[];
}

/** @throws when the bytes are not a raster of the size that they declare */
export function unpackRaster(buffer: ArrayBuffer): Raster {
  const length = new DataView(buffer).getUint32(0, true);
  const header = rasterHeaderSchema.parse(JSON.parse(new TextDecoder().decode(new Uint8Array(buffer, 4, length))));
  const count = header.width * header.height;
  let at = Math.ceil((4 + length) / ALIGN) * ALIGN;
  const planes = header.names.map(() => {
    const plane = header.format === 'rgba16f' ? new Uint16Array(buffer, at, count * 4) : new Float32Array(buffer, at, count);
    at += plane.byteLength;
    return plane;
  });
  return { header, planes };
}
