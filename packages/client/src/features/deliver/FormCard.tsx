import type { DeliveryForm } from '@ivrex/contract';
import { Checkbox, Segmented } from 'antd';
import { Choice } from '../../ui/Choice';
import type { DeliveryDraft } from './delivery-draft';

interface Props {
  readonly draft: DeliveryDraft;
  /** Files of a frame, when each thing has one of its own. */
  readonly count: number;
  readonly onChange: (part: Partial<DeliveryDraft>) => void;
}

const COMPRESSIONS = {
  zip: 'ZIP',
  zips: 'ZIPS',
  piz: 'PIZ',
  rle: 'RLE',
  none: 'None',
  dwaa: 'DWAA (lossy)',
  dwab: 'DWAB (lossy)',
  pxr24: 'PXR24 (floats to 24 bits)',
} as const;

/** Which files it is delivered as. */
export function FormCard({ draft, count, onChange }: Props) {
  const { kind, forms } = draft;
  const set = (form: DeliveryForm) => onChange({ forms: { ...forms, [form.kind]: form } });
  const { exr, tiff, png, movie } = forms;
  return (
    <section className="card" data-testid="form-card">
      <Segmented<DeliveryForm['kind']>
        block
        size="small"
        aria-label="Kind of files"
        value={kind}
        options={[
          { value: 'exr', label: 'OpenEXR' },
          { value: 'tiff', label: 'TIFF' },
          { value: 'png', label: 'PNG' },
          { value: 'movie', label: 'Movie' },
        ]}
        onChange={(value) => onChange({ kind: value })}
      />
      {kind === 'exr' && (
        <>
          <div className="grid2">
            <Choice
              name="Values"
              value={exr.type}
              words={{ half: 'Half float', float: 'Float' }}
              onChange={(type) => set({ ...exr, type })}
            />
            <Choice
              name="Compression"
              value={exr.compression}
              words={COMPRESSIONS}
              onChange={(compression) => set({ ...exr, compression })}
            />
          </div>
          <div className="row">
            <Checkbox checked={exr.window === 'trimmed'} onChange={(e) => set({ ...exr, window: e.target.checked ? 'trimmed' : 'full' })}>
              Data window trimmed
            </Checkbox>
            {count > 1 && (
              <Checkbox checked={exr.together} onChange={(e) => set({ ...exr, together: e.target.checked })}>
                One file, a layer each
              </Checkbox>
            )}
          </div>
        </>
      )}
      {kind === 'tiff' && (
        <Choice
          name="Values"
          value={tiff.depth}
          words={{ u16: '16 bits', u8: '8 bits', float: 'Float, scene-linear' }}
          onChange={(depth) => set({ ...tiff, depth })}
        />
      )}
      {kind === 'png' && (
        <Choice name="Values" value={png.depth} words={{ u16: '16 bits', u8: '8 bits' }} onChange={(depth) => set({ ...png, depth })} />
      )}
      {kind === 'movie' && (
        <div className="row" style={{ flexWrap: 'nowrap' }}>
          <Choice
            className="grow"
            name="Codec"
            value={movie.codec}
            words={{ h264: 'H.264 (mp4)', prores: 'ProRes 422 HQ (mov)', mjpeg: 'Motion JPEG (mov)' }}
            onChange={(codec) => set({ ...movie, codec })}
          />
          <Checkbox checked={movie.burnIn} onChange={(e) => set({ ...movie, burnIn: e.target.checked })}>
            Burn-in
          </Checkbox>
        </div>
      )}
      <span className="evidence">{wordsOf(forms[kind])}</span>
    </section>
  );
}

function wordsOf(form: DeliveryForm): string {
  switch (form.kind) {
    case 'exr':
      return 'Scene-linear, premultiplied; shot, shutter, encoding and version stand in the header.';
    case 'tiff':
      return form.depth === 'float'
        ? 'Scene-linear, premultiplied.'
        : 'Pictures as they look in the view, with straight alpha; motion and mattes as plain numbers.';
    case 'png':
      return 'Pictures as they look in the view, with straight alpha; motion and mattes as plain numbers.';
    case 'movie':
      return `For review: as it looks in the view${form.burnIn ? ', with shot, version, shutter and the number of each frame' : ''}.`;
  }
}
