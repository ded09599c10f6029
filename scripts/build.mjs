import { buildAll } from './steps/build-steps.mjs';
import { main } from './steps/run.mjs';

main(() => buildAll((what) => process.stdout.write(`${what}\n`)));
