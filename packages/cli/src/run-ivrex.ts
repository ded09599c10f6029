import { Command, CommanderError } from 'commander';
import { IvrexError } from '@ivrex/core';
import { auditCommand } from './audit';
import { blurCommand } from './blur';
import { UsageError } from './cli-error';
import { compareCommand } from './compare';
import { depthCommand } from './depth';
import { deriveCommand } from './derive';
import { estimateCommand } from './estimate';
import { identifyCommand } from './identify';
import { matchCommand } from './match';
import { probeCommand } from './probe';
import { remapCommand } from './remap';
import type { CliHost } from './host';
import { renderCommand } from './render';

/** Runs one command. Answers are written to stdout, complaints to stderr. Returns 0 done, 1 could not do it, 2 wrong usage. */
export async function runIvrex(args: readonly string[], host: CliHost): Promise<number> {
  const program = new Command('ivrex')
    .description('Motion vector passes: look into them, read them, remap them, blur with them, compare, match, render whole shots.')
    .exitOverride()
    .configureOutput({ writeOut: (text) => process.stdout.write(text), writeErr: () => undefined });
  const commands = [
    probeCommand(host),
    identifyCommand(host),
    depthCommand(host),
    remapCommand(host),
    auditCommand(host),
    deriveCommand(host),
    estimateCommand(host),
    blurCommand(host),
    compareCommand(host),
    matchCommand(host),
    renderCommand(host),
  ];
  for (const command of commands) program.addCommand(command.copyInheritedSettings(program));
  try {
    await program.parseAsync(args, { from: 'user' });
    return 0;
  } catch (error) {
    return report(error, program);
  }
}

function report(error: unknown, program: Command): number {
  if (error instanceof CommanderError) {
    if (error.exitCode === 0) return 0;
    process.stderr.write(
      error.code === 'commander.help'
        ? program.helpInformation()
        : `ivrex: ${error.message.replace(/^error: /, '').replace(/\s*\n\s*/g, ' ')}\n`,
    );
    return 2;
  }
  if (error instanceof UsageError) {
    process.stderr.write(`ivrex: ${error.message}\n`);
    return 2;
  }
  if (error instanceof IvrexError) {
    process.stderr.write(error.file === undefined ? `ivrex: ${error.message}\n` : `ivrex: ${error.file}: ${error.message}\n`);
    return 1;
  }
  process.stderr.write(`ivrex: unexpected: ${error instanceof Error ? (error.stack ?? error.message) : String(error)}\n`);
  return 1;
}
