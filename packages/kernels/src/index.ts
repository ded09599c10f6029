export type { Box, Kernels, SliceLayer, SliceRequest, SliceSession } from './kernels';
export { instantiateKernels } from './wasm-kernels';
