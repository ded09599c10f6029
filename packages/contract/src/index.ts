export * from './ids';
export * from './encoding-schema';
export * from './explain';
export * from './shutter-schema';
export * from './settings';
export * from './shot';
export * from './delivery';
export * from './raster-wire';
