import { FolderLooks } from './folder-looks';
import { recentRasters } from './frames';
import { recentDepths } from './measured-depth';
import { Matches } from './matches';
import { MotionAudits } from './motion-audits';
import { MotionMakes } from './motion-makes';
import { MotionRemaps } from './motion-remaps';
import type { Resources } from './resources';
import { ShotWatch } from './watch';

/** All that a server can be asked for: its resources, and the use cases that remember what is under way. */
export interface Services extends Resources {
  readonly watch: ShotWatch;
  readonly audits: MotionAudits;
  readonly remaps: MotionRemaps;
  readonly makes: MotionMakes;
  readonly matches: Matches;
}

export function makeServices(given: Omit<Resources, 'looks' | 'rasters' | 'depths'>): Services {
  const resources: Resources = { ...given, looks: new FolderLooks(given.config.limits), rasters: recentRasters(), depths: recentDepths() };
  return {
    ...resources,
    watch: new ShotWatch(resources),
    audits: new MotionAudits(resources),
    remaps: new MotionRemaps(resources),
    makes: new MotionMakes(resources),
    matches: new Matches(resources),
  };
}
