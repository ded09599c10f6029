import { readFile } from 'node:fs/promises';
import { availableParallelism } from 'node:os';
import { Command, Option } from 'commander';
import { cameraAt, heightOf, IvrexError, widthOf, type CameraTrack, type DepthKind } from '@ivrex/core';
import {
  aboutFile,
  cameraTrackOfHeaders,
  frameFile,
  headerRate,
  loadHeader,
  MADE_ENCODING,
  makeMotion,
  readCameraFile,
  type MotionSource,
  type SurfaceSource,
} from '@ivrex/media';
import { UsageError } from './cli-error';
import { parseCount, parseFrameRange, parseNumber } from './frame-range';
import type { CliHost } from './host';
import { framesToRender, loadDepthEncoding, loadEncoding, openInput, passAt, type Input } from './inputs';
import { aroundFrame, makePasses, mean, type MakeOptions } from './make-passes';
import { answer, warn } from './output';

interface DeriveOptions extends MakeOptions {
  readonly camera?: string;
  readonly depth?: string;
  readonly depthEncoding: string;
  readonly depthKind: 'auto' | 'view' | 'eye';
  readonly position?: string;
  readonly card?: number;
  readonly velocity?: string;
  readonly encoding?: string;
  readonly fps?: number;
  readonly start?: number;
  readonly json?: boolean;
}

export function deriveCommand(host: CliHost): Command {
  return new Command('derive')
    .description('make a motion pass from the camera with depth, world positions, or a flat card')
    .requiredOption('--beauty <pattern>')
    .option(
      '--camera <file>',
      'track as .json, .csv, .gltf, .glb, or a pattern of OpenEXR files whose headers hold it (default: those of depth, positions or beauty)',
    )
    .option('--depth <pattern>', 'depth in scene units')
    .option('--depth-encoding <file>', 'how depth is stored (JSON), or auto: it is measured', 'auto')
    .addOption(
      new Option('--depth-kind <kind>', 'along the view axis, or straight from the eye').choices(['auto', 'view', 'eye']).default('auto'),
    )
    .option('--position <pattern>', 'world positions, instead of depth')
    .option('--card <distance>', 'a flat card at this distance before the first camera, instead of depth', parseNumber('card'))
    .option('--velocity <pattern>', 'what moves by itself: a pass of space camera or world')
    .option('--encoding <file>', 'how the velocity is stored (encoding JSON)')
    .requiredOption('--out <pattern>', 'OpenEXR: nextX nextY prevX prevY in pixels')
    .option('--frames <A-B>', 'which frames', parseFrameRange)
    .option('--fps <rate>', 'frames per second, for files that count in seconds', parseNumber('fps'))
    .option('--start <frame>', "the frame that second 0 of a glTF means (default: the beauty's first)", parseNumber('start'))
    .option('--threads <count>', 'worker threads', parseCount('threads'), availableParallelism())
    .option('--json', 'one JSON object on stdout')
    .action((options: DeriveOptions) => derive(host, options));
}

const KINDS: Record<DeriveOptions['depthKind'], DepthKind | 'auto'> = { auto: 'auto', view: 'alongView', eye: 'fromEye' };

async function derive(host: CliHost, options: DeriveOptions): Promise<void> {
  if ([options.depth, options.position, options.card].filter((v) => v !== undefined).length !== 1)
    throw new UsageError('give one of --depth, --position and --card');
  if ((options.velocity === undefined) !== (options.encoding === undefined))
    throw new UsageError('--velocity and --encoding belong together');
  const beauty = await openInput(options.beauty);
  const surface = options.depth ?? options.position,
    surfaceInput = surface === undefined ? null : await openInput(surface),
    velocity = options.velocity === undefined ? null : await openInput(options.velocity),
    encoding = options.encoding === undefined ? null : await loadEncoding(options.encoding);
  const track = await trackOf(options, beauty, surfaceInput);
  const first = beauty.sequence.frames[0] ?? [...track.frames.keys()][0];
  let depthEncoding = await loadDepthEncoding(options.depthEncoding),
    measured = KINDS[options.depthKind];
  const surfaceAt = (frame: number | null): SurfaceSource => {
    if (surfaceInput === null) return { kind: 'card', distance: options.card ?? 1, facing: cameraAt(track, first).camera };
    const pass = passAt(surfaceInput, frame);
    return options.position === undefined
      ? { kind: 'depth', pass: { ...pass, encoding: depthEncoding }, measured }
      : { kind: 'position', pass };
  };
  const continued = new Set<number>();
  const sourceAt = (frame: number | null): MotionSource => {
    const at = frame ?? first;
    const cameras = [at - 1, at, at + 1].map((f) => cameraAt(track, f));
    if (cameras.some((c) => c.continued)) continued.add(at);
    return {
      kind: 'camera',
      cameras: { previous: cameras[0].camera, now: cameras[1].camera, next: cameras[2].camera },
      surface: surfaceAt(frame),
      velocity: velocity === null || encoding === null ? null : { pass: passAt(velocity, frame), encoding },
      fps: options.fps ?? null,
    };
  };
  if (options.depth !== undefined && (measured === 'auto' || depthEncoding === null)) {
    // Found once, on a frame in the middle, and held for all.
    const frames = framesToRender(beauty.sequence, options.frames, options.beauty);
    const frame = frames[frames.length >> 1];
    const tried = await makeMotion(
      { beauty: aroundFrame(beauty, frame), source: sourceAt(frame), out: null, comment: '' },
      await host.kernels(),
    );
    measured = tried.depthKind ?? 'alongView';
    depthEncoding = tried.depthEncoding;
    continued.clear();
  }
  const { results } = await makePasses(host, 'derived from the camera', options, beauty, sourceAt);
  const warnings: string[] = [];
  if (continued.size > 0)
    warnings.push(
      `the camera is not known beside frame ${[...continued].sort((a, b) => a - b).join(', ')}: its motion was carried on evenly`,
    );
  const offByPx = Math.max(...results.map((r) => r.offByPx ?? 0));
  if (offByPx > 1)
    warnings.push(
      `the camera sees the world positions ${offByPx.toFixed(1)} px beside their pixels: camera and pass do not belong together`,
    );
  for (const text of warnings) warn(text);
  const answered = {
    frames: results.length,
    encoding: MADE_ENCODING,
    peakPx: Math.max(...results.map((r) => r.peakPx)),
    reached: mean(results.map((r) => r.reached)),
    depthKind: results[0].depthKind,
    warnings,
  };
  answer(options.json ?? false, answered, () => [
    `${answered.frames} frame${answered.frames === 1 ? '' : 's'} written to ${options.out}`,
    `${(100 * answered.reached).toFixed(1)} % of the covered pixels have a vector; the longest is ${answered.peakPx.toFixed(1)} px`,
    ...(answered.depthKind === null
      ? []
      : [`depth was read ${answered.depthKind === 'alongView' ? 'along the view axis' : 'straight from the eye'}`]),
  ]);
}

async function trackOf(options: DeriveOptions, beauty: Input, surface: Input | null): Promise<CameraTrack> {
  const { camera } = options;
  const header = await loadHeader(passAt(beauty, beauty.sequence.frames[0] ?? null).file);
  const part = header.parts[beauty.choice.part];
  const size = { width: widthOf(part.displayWindow), height: heightOf(part.displayWindow), pixelAspect: part.pixelAspectRatio };
  if (camera !== undefined && !/\.exr$/i.test(camera)) {
    const bytes = await aboutFile(camera, () => readFile(camera));
    return readCameraFile(camera, bytes, {
      ...size,
      fps: options.fps ?? headerRate(part.attributes),
      startFrame: options.start ?? beauty.sequence.frames[0] ?? 1,
    });
  }
  const inputs = camera === undefined ? [...(surface === null ? [] : [surface]), beauty] : [await openInput(camera)];
  for (const { sequence } of inputs) {
    const frames = sequence.frames.length === 0 ? [null] : sequence.frames;
    const files = frames.map((frame) => ({ frame: frame ?? 1, file: frameFile(sequence.pattern, frame) }));
    const track = await cameraTrackOfHeaders(sequence.pattern.before, files, size);
    if (track !== null) return track;
  }
  throw new IvrexError('missingChannel', 'no header holds worldToNDC; give the camera as a file with --camera', camera ?? options.beauty);
}
