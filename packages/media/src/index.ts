export * from './node-host';
export * from './atomic-write';
export * from './sequence';
export * from './exr-file';
export * from './frame-passes';
export { runTask, savePicture, type Prepared, type SavedPicture, type Task } from './tasks';
export * from './blur-pool';
export type { RasterRequest } from './raster-task';
export * from './describe-folder';
