import { roleOf, type CameraTrackRow, type MadeSource, type Pass, type PassId, type ShotDetail } from '@ivrex/contract';
import { isNamedForPositions, rawPixels, type Encoding } from '@ivrex/core';
import { Alert, Button, Select, Upload } from 'antd';
import { useEffect, useState } from 'react';
import { useAddCameraTrack, useCameraTracks } from '../../api/made-motion';
import { sentenceOf } from '../../api/request';
import { DragNumber } from '../../ui/DragNumber';
import { passLabel } from '../../ui/pass-label';
import { Choice } from '../../ui/Choice';

interface Props {
  readonly detail: ShotDetail;
  readonly frame: number;
  /** Null while something is missing. */
  readonly onChange: (source: MadeSource | null) => void;
}
type CameraSourceChoice = MadeSource & { kind: 'camera' };

/** Which camera sees which surfaces: what the files hold is proposed. */
export function CameraSource({ detail, onChange }: Props) {
  const { passes, settings, shot } = detail;
  const tracks = useCameraTracks(shot.id),
    add = useAddCameraTrack(shot.id);
  // Those of the element's own files first.
  const own = passes.find((p) => p.id === settings.elements[0].beauty)?.sequenceId;
  const near = [...passes.filter((p) => p.sequenceId === own), ...passes.filter((p) => p.sequenceId !== own)];
  const inHeaders = near.filter((p) => p.facts.some((f) => f.name === 'worldToNDC') && !p.file.startsWith('(made)')).filter(isFirstOfFile);
  const positions = near.filter(isNamedForPositions),
    depths = near.filter((p) => roleOf(settings, p) === 'depth' && !positions.includes(p)),
    moving = passes.filter((p) => roleOf(settings, p) === 'motion' && p.channels.length >= 3 && !p.file.startsWith('(made)'));
  const cameras = [
    ...(tracks.data ?? []).map((t) => ({ value: t.id as string, label: trackWords(t), choice: { from: 'track', track: t.id } as const })),
    ...inHeaders.map((p) => ({
      value: p.id as string,
      label: `in the headers of ${p.file}`,
      choice: { from: 'headers', pass: p.id } as const,
    })),
  ];
  const surfaces = [
    ...depths.map((p) => ({ value: p.id as string, label: `depth: ${passLabel(p, passes)}` })),
    ...positions.map((p) => ({ value: p.id as string, label: `world positions: ${passLabel(p, passes)}` })),
    { value: CARD, label: 'a flat card' },
  ];
  const [cameraKey, setCamera] = useState<string | null>(null),
    [surfaceKey, setSurface] = useState<string | null>(null),
    [measured, setMeasured] = useState<'auto' | 'alongView' | 'fromEye'>('auto'),
    [distance, setDistance] = useState(10),
    [velocityKey, setVelocity] = useState(NONE),
    [stored, setStored] = useState<StoredVelocity>({ space: 'world', unit: 'frames' });
  const camera = cameras.find((c) => c.value === cameraKey) ?? cameras[0],
    surface = surfaces.find((s) => s.value === surfaceKey) ?? surfaces[0];
  const velocityPass = moving.find((p) => p.id === velocityKey);
  const source: CameraSourceChoice | null =
    camera === undefined
      ? null
      : {
          kind: 'camera',
          camera: camera.choice,
          surface:
            surface.value === CARD
              ? { kind: 'card', distance, frame: shot.firstFrame }
              : positions.some((p) => p.id === surface.value)
                ? { kind: 'position', pass: surface.value as PassId }
                : { kind: 'depth', pass: surface.value as PassId, measured, encoding: null },
          velocity: velocityPass === undefined ? null : { pass: velocityPass.id, encoding: encodingOf(velocityPass, stored) },
        };
  const key = JSON.stringify(source);
  useEffect(() => onChange(source), [key]);
  return (
    <>
      <div className="field">
        <span className="label">Which camera?</span>
        <div className="row" style={{ flexWrap: 'nowrap' }}>
          <Select
            className="grow"
            size="small"
            aria-label="Which camera"
            placeholder="no header holds one"
            value={camera?.value ?? null}
            disabled={cameras.length === 0}
            options={cameras.map(({ value, label }) => ({ value, label }))}
            onChange={setCamera}
          />
          <Upload
            accept=".json,.csv,.gltf,.glb"
            showUploadList={false}
            beforeUpload={(file) => {
              add.mutate(file, { onSuccess: (list) => setCamera(list[0]?.id ?? null) });
              return false;
            }}
          >
            <Button size="small" loading={add.isPending}>
              Give a file
            </Button>
          </Upload>
        </div>
      </div>
      {add.isError && <Alert type="error" showIcon title={sentenceOf(add.error)} />}
      <div className="field">
        <span className="label">Where are the surfaces?</span>
        <Select size="small" aria-label="Where the surfaces are" value={surface.value} options={surfaces} onChange={setSurface} />
      </div>
      {surface.value === CARD ? (
        <DragNumber
          label="Distance from the first camera"
          unit="scene units"
          value={distance}
          step={0.1}
          min={0.001}
          onCommit={setDistance}
        />
      ) : (
        depths.some((p) => p.id === surface.value) && (
          <Choice
            name="How depth is measured"
            value={measured}
            words={{
              auto: 'read the way that fits the pictures',
              alongView: 'read along the view axis',
              fromEye: 'read straight from the eye',
            }}
            onChange={setMeasured}
          />
        )
      )}
      {moving.length > 0 && (
        <div className="field">
          <span className="label">Does anything move by itself?</span>
          <Select
            size="small"
            aria-label="What moves by itself"
            value={velocityPass?.id ?? NONE}
            options={[
              { value: NONE, label: 'nothing, only the camera' },
              ...moving.map((p) => ({ value: p.id as string, label: `as ${p.name} says` })),
            ]}
            onChange={setVelocity}
          />
          {velocityPass !== undefined && (
            <div className="grid2">
              <Choice
                name="Along which axes"
                value={stored.space}
                words={{ world: "along the scene's axes", camera: "along the camera's axes" }}
                onChange={(space) => setStored({ ...stored, space })}
              />
              <Choice
                name="In which time"
                value={stored.unit}
                words={{ frames: 'per frame', seconds: 'per second' }}
                onChange={(unit) => setStored({ ...stored, unit })}
              />
            </div>
          )}
        </div>
      )}
    </>
  );
}

const CARD = 'card',
  NONE = 'none';

interface StoredVelocity {
  readonly space: 'world' | 'camera';
  readonly unit: 'frames' | 'seconds';
}

/** Raw scene units in the first three channels; other ways of storing them are given on the command line. */
function encodingOf({ channels }: Pass, { space, unit }: StoredVelocity): Encoding {
  const [x, y, z] = channels.map((c) => c.name);
  return {
    ...rawPixels(x, y, ''),
    space,
    axes: { x: 'right', y: 'up' },
    sets: [{ x, y, z, length: null, covers: { from: 0, to: 1, unit } }],
  };
}

function isFirstOfFile(pass: Pass, index: number, all: readonly Pass[]): boolean {
  return all.findIndex((p) => p.sequenceId === pass.sequenceId) === index;
}

function trackWords({ name, firstFrame, lastFrame }: CameraTrackRow): string {
  return firstFrame === lastFrame ? `${name} (stands still)` : `${name} (${firstFrame} to ${lastFrame})`;
}
