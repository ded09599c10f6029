export { narrow, widen } from '../raster/half';
export { referenceKernels } from './reference-kernels';
export * from './reference-assemble';
