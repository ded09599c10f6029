import type { Element, Pass } from '@ivrex/contract';
import { idChannelsOf } from '@ivrex/core';
import { Select } from 'antd';
import { useMemo } from 'react';
import { NamedRow } from '../../ui/NamedRow';
import { namedPlanes } from '../../viewer/data-picture';
import { shownFrame } from '../../viewer/Thumbnail';
import { rasterOf, useRaster } from '../../viewer/use-raster';
import { useView } from '../../viewer/view-store';

interface Props {
  readonly element: Element;
  readonly pass: Pass;
  readonly onChannel: (channel: string | null, label: string) => void;
}

const FOUND = '';

/** Which channel of a pass with several holds the ids: found, and why, or chosen. */
export function IdsCard({ element, pass, onChannel }: Props) {
  const frame = useView((s) => s.frame);
  const raster = rasterOf(useRaster(pass.id, shownFrame(pass, frame), 'planes'));
  const found = useMemo(() => (raster === null ? null : idChannelsOf(namedPlanes(raster))), [raster]);
  const foundWords = found === null ? 'found by what varies' : `${found.names.join(', ')}: ${found.why}`;
  return (
    <section className="card" data-testid="ids-card">
      <b>Ids in {pass.name}</b>
      <NamedRow name="Channel">
        <Select
          className="grow"
          size="small"
          aria-label="Channel that holds ids"
          value={element.idChannel ?? FOUND}
          options={[
            { value: FOUND, label: foundWords },
            ...pass.channels.map(({ name, type }) => ({ value: name, label: `${name} (${type})` })),
          ]}
          onChange={(channel: string) =>
            onChannel(
              channel === FOUND ? null : channel,
              channel === FOUND ? 'Ids from the channel that varies' : `Ids from channel ${channel}`,
            )
          }
        />
      </NamedRow>
    </section>
  );
}
