export type { Box, ChunkMemory, ChunkRows, CosineBlocks, Kernels, SliceLayer, SliceRequest, SliceSession, WaveletGrid } from './kernels';
export { instantiateKernels } from './wasm-kernels';
