import { z } from 'zod';

const finite = z.number().refine(Number.isFinite, 'must be a finite number');
const matrix = z.array(finite).length(16);
const triple = z.tuple([finite, finite, finite]);

/** What a lens sees: degrees across, or focal length and film width in the same unit. */
const lensShape = {
  horizontalView: finite.gt(0).lt(180).optional(),
  focalLength: finite.positive().optional(),
  filmWidth: finite.positive().optional(),
  /** Where the view axis meets the picture, from its middle, in picture widths and heights, x right, y down. */
  shift: z.tuple([finite, finite]).default([0, 0]),
};

const poseSchema = z
  .strictObject({
    frame: finite,
    position: triple,
    /** Degrees about the scene's x, y and z; `order` says which comes first. The camera looks along its own -z, y up. */
    rotation: triple.optional(),
    order: z.enum(['xyz', 'xzy', 'yxz', 'yzx', 'zxy', 'zyx']).default('xyz'),
    /** Instead of `rotation`: x, y, z, w, camera to scene. */
    quaternion: z.tuple([finite, finite, finite, finite]).optional(),
    ...lensShape,
  })
  .refine((p) => (p.rotation === undefined) !== (p.quaternion === undefined), 'give either rotation or quaternion')
  .refine(
    (p) => (p.horizontalView === undefined) !== (p.focalLength === undefined || p.filmWidth === undefined),
    'give either horizontalView, or focalLength and filmWidth',
  );
export type CameraPoseRow = z.infer<typeof poseSchema>;

/** As in OpenEXR headers: a row point times the matrix; NDC from 0, 0 at the upper left to 1, 1 at the lower right. */
const matricesSchema = z.strictObject({ frame: finite, worldToNDC: matrix, worldToCamera: matrix.optional() });

/** A camera track as JSON, version 1. */
export const cameraDocumentSchema = z.strictObject({
  ivrexCamera: z.literal(1),
  name: z.string().max(200).default(''),
  frames: z
    .array(z.union([matricesSchema, poseSchema]))
    .min(1)
    .max(100000),
});
export type CameraDocument = z.infer<typeof cameraDocumentSchema>;

/** One row of a CSV track: the same names, numbers only. */
export const cameraCsvRowSchema = z
  .object({
    frame: finite,
    x: finite,
    y: finite,
    z: finite,
    rx: finite,
    ry: finite,
    rz: finite,
    horizontalView: finite.optional(),
    focalLength: finite.optional(),
    filmWidth: finite.optional(),
    shiftX: finite.default(0),
    shiftY: finite.default(0),
  })
  .transform(({ frame, x, y, z: depth, rx, ry, rz, shiftX, shiftY, ...lens }): z.input<typeof poseSchema> => ({
    frame,
    position: [x, y, depth],
    rotation: [rx, ry, rz],
    shift: [shiftX, shiftY],
    ...lens,
  }))
  .pipe(poseSchema);
