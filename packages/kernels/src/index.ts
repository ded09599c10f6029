export type {
  AperturePicture,
  AperturePlaces,
  ApertureSession,
  Box,
  ChunkMemory,
  ChunkRows,
  CosineBlocks,
  GradeTables,
  Kernels,
  LightTable,
  PathGrid,
  SliceLayer,
  SliceRequest,
  SliceSession,
  WaveletGrid,
} from './kernels';
export { instantiateKernels } from './wasm-kernels';
export { NODE_FLOATS, NODE_PX } from './kernels';
