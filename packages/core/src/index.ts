export * from './errors';
export * from './raster/window';
export * from './raster/image';
export { roundToHalf, widen as halfToNumber } from './raster/half';
export * from './raster/statistics';
export * from './raster/bilinear';
export * from './raster/resize';
export { COMPRESSIONS, type Attribute, type AttributeValue, type Channel, type Compression } from './exr/attributes';
export { DEFAULT_LIMITS, parseExrHeader, type ExrFile, type ExrLimits, type ExrPart } from './exr/header';
export { chunksOfPicture, indexChunks, tableOf, truncated, tryReadChunk, type ByteSource, type Chunk, type ChunkIndex } from './exr/chunks';
export { WRITABLE_COMPRESSIONS, type WritableCompression } from './exr/codecs/codec-table';
export type { ExrHost } from './exr/codecs/codec';
export { decodeExrPart } from './exr/decode';
export { encodeExr, type ExrWriteOptions } from './exr/encode';
export * from './motion/encoding/encoding';
export { linearToSrgb, srgbToLinear } from './colour/transfer';
export * from './raster/motion-field';
export { decodeMotion, type StoredMotion } from './motion/encoding/decode';
export { encodeMotion, INTEGER_STEPS, type EncodedMotion, type StoredType } from './motion/encoding/encode';
export * from './shutter/shutter';
export * from './shutter/exposure-shape';
export * from './shutter/shutter-plan';
export { describeShutter } from './shutter/describe-shutter';
export * from './blur/model/blur-plan';
export type { BlurFramePasses, BlurInput, BlurSteps, KnownFrame } from './blur/model/blur-input';
export { knowFrame, prepareBlur, type PrepareStage } from './blur/plan/prepare';
export { reduceColours, reducedSize, reducePasses } from './blur/plan/reduce-passes';
export { giveBack, reuseMemory, sharedCopy, sharedFloats, sharedMemoryOf } from './blur/model/shared-floats';
export {
  mixForeseen,
  mixFrames,
  mixReach,
  neighboursToMix,
  type ForeseenNeighbour,
  type MixRequest,
  type WantedNeighbours,
} from './blur/mix/mix-frames';
export { foreseePair, turnedRound, type ForeseenPair } from './blur/mix/shares';
export {
  overExposure,
  toBlocks,
  type BlockPlane,
  type FrameMix,
  type MixedPlan,
  type MixPart,
  type NeighbourPlan,
} from './blur/model/frame-mix';
export { describeBlur } from './blur/render/describe-blur';
export { keptShare, limitSpeeds } from './blur/render/limit-speeds';
export { HIDDEN_MADE_UP, HIDDEN_SEEN } from './blur/model/blur-plan';
export { pathBends, pathLengths, samplePath } from './blur/render/plan-figures';
export { speedHistogram, type SpeedHistogram } from './motion/audit/speed-histogram';
export {
  layersOfRows,
  MOST_SLICES,
  PIXELS_PER_SLICE,
  renderMixedRows,
  renderRows,
  sliceCount,
  TOO_FAST,
  type ApplySettings,
} from './blur/render/apply';
export * from './compare/metrics';
export * from './compare/compare-within';
export * from './colour/display-transform';
export * from './colour/luma';
export * from './passes/guess-role';
export * from './passes/light-passes';
export * from './passes/measure-pass';
export * from './colour/picture-reading';
export type { PartKind } from './exr/header';
export { proposeEncoding, type EncodingProposal } from './motion/encoding/propose';
export * from './passes/cryptomatte';
export * from './depth/depth-encoding';
export * from './depth/decode-depth';
export * from './depth/complete-depth';
export * from './depth/stored-depth';
export * from './depth/depth-detection';
export * from './depth/detect-depth';
export type { DepthChannel, DepthFrame } from './depth/depth-frame';
export * from './passes/data-planes';
export * from './colour/cube-lut';
export * from './motion/encoding/describe-encoding';
export * from './motion/identify/identification';
export type { Mend } from './motion/identify/mend';
export type { StoredChannel, StoredPass } from './motion/identify/stored-pass';
export type { BeautyNeighbours, MatchKernels } from './motion/identify/beauty-pictures';
export { howMuchItTells } from './motion/identify/how-much-it-tells';
export { FramesToIdentify, identifyEncoding } from './motion/identify/identify';
export * from './motion/audit/audit';
export { CLIPPED_X, CLIPPED_Y, clippedPixels, type ClippedPixels } from './motion/audit/clipped';
export { predictRemapError, remapFrame, type RemappedFrame } from './motion/remap';
export * from './motion/repair/repair-step';
export { repairField, type RepairContext, type RepairedField } from './motion/repair/repair-field';
export { readMotion } from './motion/read-motion';
export * from './camera/camera';
export * from './camera/camera-track';
export * from './motion/derive/derive-motion';
export * from './motion/derive/scene-velocity';
export * from './motion/estimate/estimate-motion';
export * from './motion/proof';
export * from './match/shutter-match';
export { momentsOf, type Moments } from './match/moments';
export { fitShutter, gradeLike } from './match/fit-shutter';
export { combineStreaks, measureStreak, type StreakMeasure, type StreakRefusal } from './match/streak';
export type { Place, PlateLight } from './match/streak-line';
export { findStreaks } from './match/find-streaks';
export * from './trust/trust-map';
export { makeTrustMap } from './trust/make-trust-map';
export * from './trust/verdict';
export * from './assemble/tone-curve';
export * from './assemble/grade';
export * from './assemble/blend';
export * from './assemble/matte-edge';
export * from './assemble/shadow';
export * from './assemble/vignette';
export * from './assemble/grain';
export * from './assemble/plate';
export * from './assemble/depth-doubts';
export * from './passes/fringe';
export * from './assemble/lens';
export { defocusPicture } from './assemble/defocus';
export * from './assemble/treat-plan';
export * from './assemble/assemble';
export * from './assemble/speeds';
export * from './assemble/streak-preview';
export * from './assemble/shape-picture';
