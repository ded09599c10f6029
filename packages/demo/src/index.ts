export { cameraMatrices, eyeAt, GLASS_FLOAT, renderGlassFloat, type GlassFloatPasses } from './glass-float';
export { renderSaltSpray, SALT_SPRAY, type SaltSprayPasses } from './salt-spray';
export { makeDemo, type MakeDemoOptions } from './make-demo';
export {
  demoFiles,
  heronFrame,
  heronTruth,
  makeDemoFile,
  platePicture,
  REFERENCE_FRAMES,
  TIDAL_CLOCK,
  type DemoFile,
  type DemoShot,
} from './tidal-clock';
