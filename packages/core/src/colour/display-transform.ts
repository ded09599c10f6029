/** Scene-linear to what a monitor shows. Pictures only: data passes never go through here. */
export const DISPLAY_TRANSFORMS = ['srgb', 'rec709', 'linear'] as const;
export type DisplayTransform = (typeof DISPLAY_TRANSFORMS)[number];

export const DISPLAY_TRANSFORM_NAMES: Record<DisplayTransform, string> = {
  srgb: 'sRGB',
  rec709: 'Rec.709 camera curve',
  linear: 'Linear (no curve)',
};
