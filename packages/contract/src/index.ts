export * from './encoding-schema';
export * from './explain';
export * from './shutter-schema';
