export { narrow, referenceKernels, widen } from './reference-kernels';
