import { CloudServerOutlined, FileTextOutlined, ImportOutlined } from '@ant-design/icons';
import type { DeliveryOptions } from '@ivrex/contract';
import { Alert, Button, Upload } from 'antd';
import { useExportShot, useTakeOver } from '../../api/hand-over';
import { sentenceOf } from '../../api/request';

interface Props {
  readonly shotId: string;
  readonly shot: string;
  /** What is chosen above; null when it makes no sense yet. */
  readonly options: DeliveryOptions | null;
}

/** The shot as a document: for another machine, a farm, or the same passes elsewhere. */
export function HandOverCard({ shotId, shot, options }: Props) {
  const give = useExportShot(shotId, shot),
    take = useTakeOver(shotId);
  const error = give.error ?? take.error;
  return (
    <section className="card" data-testid="hand-over-card">
      <b>Render it elsewhere</b>
      <span className="evidence">
        The shot with what is chosen above, for ./ivrex render; its paths are those from the shot’s folder. A farm takes the job beside it.
      </span>
      <div className="row">
        <Button size="small" icon={<FileTextOutlined />} loading={give.isPending} onClick={() => give.mutate({ what: 'shot', options })}>
          Shot
        </Button>
        <Button
          size="small"
          icon={<CloudServerOutlined />}
          disabled={options === null || give.isPending}
          title="An Open Job Description template"
          onClick={() => options !== null && give.mutate({ what: 'job', options })}
        >
          Farm job
        </Button>
        <Upload
          accept=".json"
          showUploadList={false}
          beforeUpload={(file) => {
            take.mutate(file);
            return false;
          }}
        >
          <Button
            size="small"
            icon={<ImportOutlined />}
            loading={take.isPending}
            title="All settings, from the document of a shot with the same passes"
          >
            Take settings over
          </Button>
        </Upload>
      </div>
      {error !== null && <Alert type="error" showIcon title={sentenceOf(error)} />}
    </section>
  );
}
