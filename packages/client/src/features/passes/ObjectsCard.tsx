import { DeleteOutlined } from '@ant-design/icons';
import type { ObjectMatte, Pass, ShotDetail } from '@ivrex/contract';
import { objectsAt } from '@ivrex/core';
import { Button, Input } from 'antd';
import { useEffect, useState } from 'react';
import { useManifest } from '../../api/shots';
import { isCryptomatte, objectColour, ranksOf } from '../../viewer/data-picture';
import { rasterOf, useRaster } from '../../viewer/use-raster';
import { shownFrame } from '../../viewer/Thumbnail';
import { useView } from '../../viewer/view-store';

interface Props {
  readonly detail: ShotDetail;
  readonly pass: Pass;
  readonly onMattes: (mattes: ObjectMatte[], label: string) => void;
}

/** Named objects of a Cryptomatte: chosen by a click in the picture or in the list, kept as mattes under a name. */
export function ObjectsCard({ detail, pass, onMattes }: Props) {
  const manifest = useManifest(pass.id);
  const frame = useView((s) => s.frame),
    clicked = useView((s) => s.clicked),
    chosen = useView((s) => s.chosen),
    set = useView((s) => s.set);
  const raster = rasterOf(useRaster(pass.id, shownFrame(pass, frame), 'planes'));
  const [name, setName] = useState('');
  const names = new Map((manifest.data?.objects ?? []).map((o) => [o.id, o.name]));
  const nameOf = (id: number) => names.get(id) ?? `object ${id.toString(16).padStart(8, '0')}`;
  const toggle = (id: number) => {
    const next = new Set(useView.getState().chosen);
    if (!next.delete(id)) next.add(id);
    set({ chosen: next });
  };
  useEffect(() => {
    if (clicked === null || raster === null || !isCryptomatte(raster)) return;
    const [top] = objectsAt(ranksOf(raster), clicked.y * raster.header.width + clicked.x);
    if (top !== undefined) toggle(top.id);
    // Only a new click chooses.
  }, [clicked?.count]);
  useEffect(() => () => useView.setState({ chosen: new Set() }), [pass.id]);
  const listed = [...new Set([...names.keys(), ...chosen])];
  const mattes = detail.settings.mattes.filter((m) => m.pass === pass.id);
  const keep = () => {
    const matte = { name: name.trim() || [...chosen].map(nameOf).join(', ').slice(0, 100), pass: pass.id, ids: [...chosen] };
    onMattes([...detail.settings.mattes.filter((m) => m.name !== matte.name || m.pass !== pass.id), matte], `Matte ${matte.name}`);
    setName('');
  };
  return (
    <div className="card" data-testid="objects-card">
      <b>Objects in {pass.name}</b>
      <span className="quiet">
        {manifest.isError
          ? 'Their names cannot be read; click objects in the picture.'
          : names.size === 0
            ? 'The file names no objects; click them in the picture.'
            : `${names.size} named objects. Click them in the picture or here.`}
      </span>
      <div className="row object-list">
        {listed.map((id) => (
          <Button
            key={id}
            size="small"
            type={chosen.has(id) ? 'primary' : 'default'}
            aria-pressed={chosen.has(id)}
            onClick={() => toggle(id)}
          >
            <i
              style={{
                background: `rgb(${objectColour(id)
                  .map((v) => Math.round(v * 255))
                  .join(',')})`,
              }}
            />
            {nameOf(id)}
          </Button>
        ))}
      </div>
      <div className="row">
        <Input
          className="grow"
          size="small"
          placeholder="Name of the matte"
          aria-label="Name of the matte"
          value={name}
          maxLength={100}
          onChange={(e) => setName(e.target.value)}
          onPressEnter={() => chosen.size > 0 && keep()}
        />
        <Button size="small" type="primary" disabled={chosen.size === 0} onClick={keep}>
          Keep as matte
        </Button>
      </div>
      {mattes.map((matte) => (
        <div className="row" key={matte.name}>
          <Button size="small" className="grow" style={{ textAlign: 'left' }} onClick={() => set({ chosen: new Set(matte.ids) })}>
            {matte.name}
          </Button>
          <span className="quiet">{matte.ids.length === 1 ? '1 object' : `${matte.ids.length} objects`}</span>
          <Button
            size="small"
            aria-label={`Remove matte ${matte.name}`}
            icon={<DeleteOutlined />}
            onClick={() =>
              onMattes(
                detail.settings.mattes.filter((m) => m !== matte),
                `Matte ${matte.name} removed`,
              )
            }
          />
        </div>
      ))}
    </div>
  );
}
