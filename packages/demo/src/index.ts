export { makeDemo, type MakeDemoOptions } from './make-demo';
export {
  demoFiles,
  heronFrame,
  heronTruth,
  makeDemoFile,
  plateFrame,
  REFERENCE_FRAMES,
  TIDAL_CLOCK,
  type DemoFile,
  type DemoShot,
} from './tidal-clock';
