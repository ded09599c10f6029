import { roleOf, type DisplayChoice, type ShotDetail } from '@ivrex/contract';
import { DISPLAY_TRANSFORM_NAMES, DISPLAY_TRANSFORMS, type DisplayTransform } from '@ivrex/core';
import { App, Button, Select, Upload } from 'antd';
import { Choice } from '../../ui/Choice';
import { sentenceOf } from '../../api/request';
import { useAddLut, useLuts } from '../../api/luts';
import { StillMatchRow } from './StillMatchRow';

interface Props {
  readonly detail: ShotDetail;
  readonly onDisplay: (choice: DisplayChoice, label: string) => void;
}

/** What the monitor shows of scene-linear light: a curve of ours, or a table; and whether it is what a still shows. */
export function DisplayCard({ detail, onDisplay }: Props) {
  const { displayTransform: choice } = detail.settings;
  const luts = useLuts(),
    add = useAddLut();
  const { message } = App.useApp();
  const options = [
    ...DISPLAY_TRANSFORMS.map((value) => ({ value: value as string, label: DISPLAY_TRANSFORM_NAMES[value] })),
    ...(luts.data ?? []).map((lut) => ({
      value: lut.id as string,
      label: `${lut.name} (${lut.kind === 'cube' ? `cube of ${lut.size}` : `curves of ${lut.size}`})`,
    })),
  ];
  const choose = (value: string) => {
    const lut = luts.data?.find((l) => l.id === value);
    const label = options.find((o) => o.value === value)?.label ?? value;
    onDisplay(lut === undefined ? (value as DisplayTransform) : { lut: lut.id, input: 'srgb' }, `View through ${label}`);
  };
  const load = async (file: File) => {
    try {
      const { id } = await add.mutateAsync({ name: file.name.replace(/\.cube$/i, ''), text: await file.text() });
      onDisplay({ lut: id, input: 'srgb' }, `View through ${file.name}`);
    } catch (error) {
      void message.error(`${file.name}: ${sentenceOf(error)}`, 8);
    }
  };
  return (
    <div className="card" data-testid="display-card">
      <b>How pictures are shown</b>
      <div className="row" style={{ flexWrap: 'nowrap' }}>
        <Select
          className="grow"
          size="small"
          aria-label="Display transform"
          value={typeof choice === 'string' ? choice : choice.lut}
          options={options}
          onChange={choose}
        />
        <Upload accept=".cube" showUploadList={false} beforeUpload={(file) => (void load(file), false)}>
          <Button size="small" loading={add.isPending}>
            Load a .cube
          </Button>
        </Upload>
      </div>
      {typeof choice !== 'string' && (
        <div className="row">
          <span className="quiet">The table expects</span>
          <Choice
            className="grow"
            name="What the table expects"
            value={choice.input}
            words={{ srgb: 'sRGB values', linear: 'scene-linear values' }}
            onChange={(input: 'srgb' | 'linear') =>
              onDisplay({ ...choice, input }, `The table expects ${input === 'srgb' ? 'sRGB' : 'linear'} values`)
            }
          />
        </div>
      )}
      <StillMatchRow
        detail={detail}
        pictures={detail.passes.filter((p) => ['beauty', 'plate', 'reference'].includes(roleOf(detail.settings, p)))}
        onDisplay={onDisplay}
      />
      <span className="quiet">Data passes never go through it.</span>
    </div>
  );
}
