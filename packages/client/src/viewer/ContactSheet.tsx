import { isDataRole, roleOf, type ShotDetail } from '@ivrex/contract';
import { useShownDepth } from '../api/depth';
import { ROLE_NAMES } from '../ui/role-names';
import { shownFrame, Thumbnail } from './Thumbnail';
import { useView } from './view-store';

/** Every pass of the shot at once, at the frame that is looked at. A click shows one large. */
export function ContactSheet({ detail }: { detail: ShotDetail }) {
  const frame = useView((s) => s.frame),
    set = useView((s) => s.set);
  const depth = useShownDepth(detail);
  const columns = Math.max(2, Math.ceil(Math.sqrt(detail.passes.length)));
  return (
    <div
      className="contact-sheet"
      data-testid="contact-sheet"
      style={{ gridTemplateColumns: `repeat(${columns}, minmax(0, 1fr))` }}
      onPointerDown={(event) => event.stopPropagation()}
      onWheel={(event) => event.stopPropagation()}
    >
      {detail.passes.map((pass) => {
        const role = roleOf(detail.settings, pass);
        return (
          <button
            type="button"
            key={pass.id}
            aria-label={`Look at ${pass.name}`}
            onClick={() => set({ look: 'pass', shownPass: pass.id, tried: null })}
          >
            <span className="frame">
              <Thumbnail
                passId={pass.id}
                role={role}
                frame={shownFrame(pass, frame)}
                width={pass.width}
                shownWidth={480}
                depth={pass.id === depth.pass ? depth.encoding : null}
              />
            </span>
            <span className="caption">
              <b>{pass.name}</b> {ROLE_NAMES[role]}
              {isDataRole(role) ? ', data' : ''}
            </span>
          </button>
        );
      })}
    </div>
  );
}
