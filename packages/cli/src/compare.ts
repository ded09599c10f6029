import { Command } from 'commander';
import { comparePictures, IvrexError } from '@ivrex/core';
import { chooseLayer, frameFile, loadHeader, loadPicture, parsePattern, type NodeHost, type Picture } from '@ivrex/media';
import { UsageError } from './cli-error';
import type { CliHost } from './host';
import { answer, finiteOrNull } from './output';

export function compareCommand(host: CliHost): Command {
  return new Command('compare')
    .description('what two pictures differ by')
    .argument('<a>')
    .argument('<b>')
    .option('--sharp <file>', 'the sharp picture: maskedPsnr then counts what the blur changed in B')
    .option('--json', 'one JSON object on stdout')
    .action(async (a: string, b: string, options: { sharp?: string; json?: boolean }) => {
      const kernels = await host.kernels();
      const first = await loadOne(a, kernels),
        second = await loadOne(b, kernels);
      const sharp = options.sharp === undefined ? null : await loadOne(options.sharp, kernels);
      sameSize(first, second, b);
      if (sharp !== null && options.sharp !== undefined) sameSize(first, sharp, options.sharp);
      const result = comparePictures(first.rgba, second.rgba, first.width, first.height, sharp?.rgba ?? null);
      const shown = { ...result, psnr: finiteOrNull(result.psnr), maskedPsnr: finiteOrNull(result.maskedPsnr), equal: result.maxAbs === 0 };
      answer(options.json ?? false, shown, () => [
        `psnr ${result.psnr.toFixed(2)} dB`,
        ...(result.maskedPsnr === null ? [] : [`masked psnr ${result.maskedPsnr.toFixed(2)} dB`]),
        `ssim ${result.ssim.toFixed(5)}`,
        `largest difference ${result.maxAbs.toPrecision(4)}`,
        `mean difference ${result.meanAbs.toPrecision(4)}`,
      ]);
    });
}

async function loadOne(text: string, host: NodeHost): Promise<Picture> {
  const { pattern, layer } = parsePattern(text);
  if (pattern.padding !== null) throw new UsageError(`compare takes single files, not the pattern ${text}`);
  const file = frameFile(pattern, null);
  const header = await loadHeader(file);
  return loadPicture({ file, ...chooseLayer(header, layer) }, host);
}

function sameSize(a: Picture, b: Picture, file: string): void {
  if (a.width !== b.width || a.height !== b.height)
    throw new IvrexError(
      'sizeMismatch',
      `the picture is ${b.width} x ${b.height}, the other ${a.width} x ${a.height}; only pictures of one size can be compared`,
      file,
    );
}
