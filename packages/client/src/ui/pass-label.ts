import type { Pass } from '@ivrex/contract';

/** A pass's name, with its file's where another pass has the same name. */
export function passLabel(pass: Pass, passes: readonly Pass[]): string {
  if (passes.every((p) => p.id === pass.id || p.name !== pass.name)) return pass.name;
  return `${pass.name} of ${pass.file.replace(/^.*\//, '').replace(/[._-]*#*\.\w+$/, '')}`;
}
