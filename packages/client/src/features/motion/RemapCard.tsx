import type { RemapOrder, ShotDetail } from '@ivrex/contract';
import { predictRemapError, summarizeAudit, type Encoding } from '@ivrex/core';
import { Alert, Button, Input, Select } from 'antd';
import { useState } from 'react';
import { useEncodings } from '../../api/encodings';
import { useMotionAudit, useMotionRemap, useOrderRemap } from '../../api/motion';
import { sentenceOf } from '../../api/request';
import { remapTargets } from '../../ui/remap-targets';
import { ProgressRow } from '../../ui/ProgressRow';

type Kind = Pick<RemapOrder, 'type' | 'format'>;
const KINDS: readonly { readonly key: string; readonly label: string; readonly kind: Kind }[] = [
  { key: 'half exr', label: 'EXR, half', kind: { type: 'half', format: 'exr' } },
  { key: 'float exr', label: 'EXR, float', kind: { type: 'float', format: 'exr' } },
  { key: 'u16 png', label: 'PNG, 16 bits', kind: { type: 'u16', format: 'png' } },
  { key: 'u8 png', label: 'PNG, 8 bits', kind: { type: 'u8', format: 'png' } },
  { key: 'u16 tif', label: 'TIFF, 16 bits', kind: { type: 'u16', format: 'tif' } },
  { key: 'float tif', label: 'TIFF, float', kind: { type: 'float', format: 'tif' } },
];

/** Writes the pass in another encoding: the error is said beforehand, and measured after. */
export function RemapCard({ detail, encoding }: { detail: ShotDetail; encoding: Encoding }) {
  const { data: audit } = useMotionAudit(detail),
    kept = useEncodings(),
    status = useMotionRemap(detail.shot.id),
    order = useOrderRemap(detail);
  const summary = summarizeAudit((audit?.frames ?? []).map((f) => ({ frame: f.frame, audit: f })));
  const range = summary.suggestedRangePx;
  const targets = [
    ...remapTargets(range, encoding.sets.length === 2),
    ...(kept.data ?? []).map((k) => ({ key: k.id as string, encoding: k.document, usual: 'half exr' })),
  ];
  const [target, setTarget] = useState('centred'),
    [kindKey, setKind] = useState<string | null>(null),
    [name, setName] = useState('motion');
  const chosen = targets.find((t) => t.key === target) ?? targets[0];
  const { kind } = KINDS.find((k) => k.key === (kindKey ?? chosen.usual)) ?? KINDS[0];
  const pass = detail.passes.find((p) => p.id === detail.settings.elements[0].motion);
  const fps = detail.settings.fps ?? detail.shot.fps;
  const error =
    pass === undefined ? null : tryPredict(chosen.encoding, kind, summary.rangePx, { width: pass.width, height: pass.height, fps });
  const remap = status.data ?? null;
  return (
    <section className="card" data-testid="remap-card">
      <b>Write it in another form</b>
      <Select
        size="small"
        aria-label="Form to write"
        value={chosen.key}
        options={targets.map((t) => ({ value: t.key, label: t.encoding.name }))}
        onChange={(key) => {
          setTarget(key);
          setKind(null);
        }}
      />
      <div className="row" style={{ flexWrap: 'nowrap' }}>
        <Select
          size="small"
          aria-label="Kind of file"
          style={{ width: 130 }}
          value={`${kind.type} ${kind.format}`}
          options={KINDS.map((k) => ({ value: k.key, label: k.label }))}
          onChange={setKind}
        />
        <Input size="small" aria-label="Name of the files" value={name} maxLength={80} onChange={(e) => setName(e.target.value)} />
      </div>
      <span className="evidence" data-testid="remap-prediction">
        {error === null
          ? 'The error can be said once all frames are audited.'
          : typeof error === 'string'
            ? error
            : `At the speeds of this shot the largest error will be ${Number(error.toPrecision(2))} px a frame. Repairs that are on are written with it; the original stays as it is.`}
      </span>
      {remap?.state === 'running' ? (
        <ProgressRow label="Frames remapped" done={remap.done} total={remap.total}>
          <Button size="small" onClick={() => order.mutate('cancel')}>
            Stop
          </Button>
        </ProgressRow>
      ) : (
        <div className="row">
          <Button
            size="small"
            disabled={typeof error !== 'number' || !/^[A-Za-z0-9][A-Za-z0-9_.-]*$/.test(name)}
            loading={order.isPending}
            onClick={() => order.mutate({ name, to: chosen.encoding, ...kind })}
          >
            Write all frames
          </Button>
        </div>
      )}
      {order.isError && <Alert type="error" showIcon title={sentenceOf(order.error)} />}
      {remap !== null && remap.state !== 'running' && (
        <span className="evidence" data-testid="remap-result">
          {remap.state === 'done' ? '' : remap.state === 'cancelled' ? 'Stopped. ' : 'Not all could be written. '}
          {remap.done} of {remap.total} frames written to {remap.pattern}. Largest error measured: {Number(remap.maxErrorPx.toPrecision(2))}{' '}
          px; {remap.clippedPixels === 0 ? 'nothing was clipped.' : `${remap.clippedPixels} pixels were clipped: choose a larger range.`}
          {remap.failed.length > 0 && ` Frame ${remap.failed[0].frame}: ${remap.failed[0].message}.`}
        </span>
      )}
    </section>
  );
}

/** Pixels, a sentence why it can't be said, or null before anything is known. */
function tryPredict(
  to: Encoding,
  kind: Kind,
  rangePx: number,
  size: { width: number; height: number; fps: number | null },
): number | string | null {
  if (rangePx === 0) return null;
  try {
    return predictRemapError(to, kind.type, rangePx, size);
  } catch (error) {
    return sentenceOf(error);
  }
}
