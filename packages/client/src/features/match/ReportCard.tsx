import { FileOutlined, FilePdfOutlined, FileTextOutlined } from '@ant-design/icons';
import { App, Button } from 'antd';
import { useState } from 'react';
import { focusQuery, requestBytes, sentenceOf } from '../../api/request';
import { handOver } from '../../api/save-as-file';
import { useView } from '../../viewer/view-store';
import { useShotContext } from '../shot/ShotPage';

const FORMS = [
  { form: 'html', label: 'Page', type: 'text/html', icon: <FileOutlined /> },
  { form: 'pdf', label: 'PDF', type: 'application/pdf', icon: <FilePdfOutlined /> },
  { form: 'json', label: 'JSON', type: 'application/json', icon: <FileTextOutlined /> },
] as const;

/** The shot as it is handed over: everything that was measured and decided, with pictures. */
export function ReportCard() {
  const { detail } = useShotContext();
  const { message } = App.useApp();
  const frame = useView((s) => s.frame);
  const [making, setMaking] = useState<string | null>(null);
  const save = async (form: (typeof FORMS)[number]) => {
    setMaking(form.form);
    try {
      const bytes = await requestBytes(`/shots/${detail.shot.id}/report.${form.form}${focusQuery(detail)}&frame=${frame}`);
      handOver(`${detail.shot.name}_report.${form.form}`, new Blob([bytes], { type: form.type }));
    } catch (error) {
      void message.error(sentenceOf(error));
    } finally {
      setMaking(null);
    }
  };
  return (
    <section className="card" data-testid="report-card">
      <b>Shot report</b>
      <span className="evidence">
        Passes, how the motion is stored and the evidence, speeds, shutter, match, figures and trust, with pictures of frame {frame} and of
        the matched frames.
      </span>
      <div className="row">
        {FORMS.map((form) => (
          <Button
            key={form.form}
            size="small"
            icon={form.icon}
            loading={making === form.form}
            disabled={making !== null && making !== form.form}
            onClick={() => void save(form)}
          >
            {form.label}
          </Button>
        ))}
      </div>
    </section>
  );
}
