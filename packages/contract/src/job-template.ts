import { extensionOf, type DeliveryOptions } from './delivery';
import { frameRuns, type ShotDocument } from './shot-document';

/** Frames a task: starting a process costs half a second. */
const FRAMES_A_TASK = 4;
/** Letters of a job's name (specification, 1.1). */
const MOST_NAME = 128;

/**
 * A job for render farms that read Open Job Description templates (specification "jobtemplate-2023-09"): a task for every few frames, then one
 * for movies, checksums and the document. `frames` are those that are delivered.
 */
export function jobTemplate({ name }: Pick<ShotDocument, 'name'>, options: DeliveryOptions, frames: readonly number[]): object {
  const common = ['render', '{{Param.Shot}}', '--out', '{{Param.Out}}', '--threads', '{{Param.Threads}}', '--log', 'openjd'];
  const run = (...args: string[]) => ({ actions: { onRun: { command: '{{Param.Ivrex}}', args: [...common, ...args] } } });
  // Tasks begin at these frames; a task takes those of its next few that are delivered.
  const starts = frames.filter((_, i) => i % FRAMES_A_TASK === 0);
  return {
    specificationVersion: 'jobtemplate-2023-09',
    name: `${name} ${options.name}`.slice(0, MOST_NAME),
    description: `${frames.length} frames as ${extensionOf(options.form)}, version ${options.version}`,
    parameterDefinitions: [
      {
        name: 'Shot',
        type: 'PATH',
        objectType: 'FILE',
        dataFlow: 'IN',
        default: `${name}.shot.json`,
        description: 'The shot as it was exported',
      },
      {
        name: 'Out',
        type: 'PATH',
        objectType: 'DIRECTORY',
        dataFlow: 'OUT',
        default: '.',
        description: 'The folder that file names are below',
      },
      { name: 'Ivrex', type: 'STRING', default: './ivrex', description: 'The command line' },
      { name: 'Threads', type: 'INT', default: 4, minValue: 1, maxValue: 256, description: 'Threads a task' },
    ],
    steps: [
      {
        name: 'Frames',
        parameterSpace: { taskParameterDefinitions: [{ name: 'First', type: 'INT', range: frameRuns(starts).replaceAll(' ', '') }] },
        script: run('--from', '{{Task.Param.First}}', '--chunk', String(FRAMES_A_TASK)),
      },
      { name: 'LastPart', dependencies: [{ dependsOn: 'Frames' }], script: run('--finish') },
    ],
  };
}
