export { cameraMatrices, eyeAt, GLASS_FLOAT, renderGlassFloat, type GlassFloatPasses } from './glass-float';
export { renderSaltSpray, SALT_SPRAY, type SaltSprayPasses } from './salt-spray';
export { makeDemo, type MakeDemoOptions } from './make-demo';
export { demoFiles, REFERENCE_FRAMES, sizeOfWidth, TIDAL_CLOCK, type DemoFile, type DemoShot } from './tidal-clock';
