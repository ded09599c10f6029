import type sharp from 'sharp';

/** The library for JPEG, TIFF and the odd PNG; it is loaded when a file needs it. */
export async function loadSharp(): Promise<typeof sharp> {
  return (await import('sharp')).default;
}
