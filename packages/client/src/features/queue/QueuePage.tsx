import { PRIORITIES, timeText, type Delivery, type Priority, type Queue, type Work, type Worker } from '@ivrex/contract';
import { Alert, Progress, Select, Table, Tag } from 'antd';
import dayjs from 'dayjs';
import { useState } from 'react';
import { Link } from 'react-router';
import { useDeliveryAction, useQueue } from '../../api/deliveries';
import { sentenceOf } from '../../api/request';
import { useWork } from '../../api/shots';
import { PageFrame } from '../../ui/PageFrame';
import { ProgressRow } from '../../ui/ProgressRow';
import { DeliveryActions, STATE_COLOURS, STATE_NAMES, whatWords } from '../deliver/DeliveryCard';

const PRIORITY_NAMES: Record<Priority, string> = { high: 'before others', normal: 'in turn', low: 'after others' };
const isOpen = ({ state }: Delivery) => state === 'running' || state === 'paused' || state === 'finishing';

/** Everything that is rendered in the background, of all shots, and who renders it. */
export function QueuePage() {
  const queue = useQueue(),
    work = useWork();
  const [text, setText] = useState('');
  return (
    <PageFrame
      title="Queue"
      search={{ label: 'Search the queue', placeholder: 'Shot, name, state', text, onChange: setText }}
      actions={null}
    >
      {queue.isError && <Alert type="error" showIcon title={sentenceOf(queue.error)} />}
      {queue.data !== undefined && (
        <>
          <Workers queue={queue.data} />
          <OtherWork work={work.data ?? []} />
          <Deliveries deliveries={queue.data.deliveries.filter((d) => matches(d, text))} isAll={text === ''} />
        </>
      )}
    </PageFrame>
  );
}

function matches(d: Delivery, text: string): boolean {
  const all = `${d.shot} ${d.options.name} ${STATE_NAMES[d.state]} ${whatWords(d.options)}`.toLowerCase();
  return text
    .toLowerCase()
    .split(/\s+/)
    .every((word) => all.includes(word));
}

function Workers({ queue: { workers } }: { queue: Queue }) {
  const names: Record<Worker['state'], string> = { working: 'at work', idle: 'nothing to do', gone: 'not heard of' };
  return (
    <section className="queue-part" data-testid="workers">
      <h2>Workers</h2>
      {workers.length === 0 ? (
        <Alert
          type="warning"
          showIcon
          title="No worker is running: nothing is rendered until one is started with npm run worker, here or on any machine that sees the folders."
        />
      ) : (
        <Table<Worker>
          size="small"
          rowKey="id"
          dataSource={workers}
          pagination={false}
          columns={[
            { title: 'Worker', render: (_, w) => <b>{w.name}</b>, width: '18%' },
            { title: 'Machine', render: (_, w) => `${w.host}, ${w.threads} thread${w.threads === 1 ? '' : 's'}`, width: '18%' },
            {
              title: 'State',
              width: 130,
              render: (_, w) => (
                <Tag color={w.state === 'working' ? 'processing' : w.state === 'gone' ? 'error' : 'default'}>{names[w.state]}</Tag>
              ),
            },
            { title: 'Does', render: (_, w) => w.doing ?? (w.state === 'gone' ? 'its frames went to others' : '') },
            { title: 'Frames made', dataIndex: 'framesDone', width: 110, align: 'right' },
            { title: 'Last seen', width: 150, render: (_, w) => (w.state === 'gone' ? dayjs(w.seenAt).format('HH:mm:ss') : 'now') },
          ]}
        />
      )}
    </section>
  );
}

/** What the server itself does, such as making the demo. */
function OtherWork({ work }: { work: readonly Work[] }) {
  const running = work.filter((w) => w.state === 'running');
  if (running.length === 0) return null;
  return (
    <section className="queue-part">
      {running.map((w) => (
        <div className="row" key={w.label}>
          <span className="grow">{w.label}</span>
          <div style={{ width: 440 }}>
            <ProgressRow label={w.label} done={w.done} total={w.total} secondsLeft={w.secondsLeft} />
          </div>
        </div>
      ))}
    </section>
  );
}

function Deliveries({ deliveries, isAll }: { deliveries: readonly Delivery[]; isAll: boolean }) {
  const sorted = [...deliveries].sort((a, b) => Number(isOpen(b)) - Number(isOpen(a)));
  return (
    <section className="queue-part" data-testid="queue">
      <h2>Deliveries</h2>
      <Table<Delivery>
        size="small"
        rowKey="id"
        dataSource={sorted}
        pagination={sorted.length > 30 ? { pageSize: 30 } : false}
        locale={{
          emptyText: isAll ? 'Nothing has been delivered yet: order it in step Deliver of a shot.' : 'Nothing in the queue says that',
        }}
        columns={[
          { title: 'Shot', width: 130, render: (_, d) => <Link to={`/shots/${d.shotId}/deliver`}>{d.shot}</Link> },
          {
            title: 'Delivery',
            render: (_, d) => (
              <>
                <b>{d.options.name}</b>
                <div className="quiet">
                  {whatWords(d.options)}, {dayjs(d.createdAt).format('D MMM HH:mm')}
                </div>
              </>
            ),
          },
          { title: 'State', width: 130, render: (_, d) => <Tag color={STATE_COLOURS[d.state]}>{STATE_NAMES[d.state]}</Tag> },
          { title: 'Frames', width: 220, render: (_, d) => <Far delivery={d} /> },
          { title: 'Order', width: 150, render: (_, d) => isOpen(d) && <PriorityChoice delivery={d} /> },
          { title: '', width: 220, render: (_, d) => <DeliveryActions delivery={d} /> },
        ]}
      />
    </section>
  );
}

function Far({ delivery: { frames, state, secondsLeft, error } }: { delivery: Delivery }) {
  const done = frames.filter((f) => f.state === 'done').length,
    failed = frames.find((f) => f.state === 'failed');
  const trouble = error ?? (failed === undefined ? null : `Frame ${failed.frame}: ${failed.error ?? ''}`);
  return (
    <>
      <Progress
        percent={Math.round((100 * done) / frames.length)}
        size="small"
        showInfo={false}
        status={state === 'failed' ? 'exception' : 'normal'}
      />
      <div className="quiet" style={{ overflowWrap: 'anywhere' }}>
        {done} of {frames.length}
        {secondsLeft === null ? '' : `, about ${timeText(secondsLeft)} left`}
        {trouble === null ? '' : `. ${trouble}`}
      </div>
    </>
  );
}

function PriorityChoice({ delivery: { id, options } }: { delivery: Delivery }) {
  const { mutate } = useDeliveryAction();
  return (
    <Select<Priority>
      size="small"
      aria-label={`Order of ${options.name}`}
      style={{ width: 130 }}
      value={options.priority}
      options={PRIORITIES.map((value) => ({ value, label: PRIORITY_NAMES[value] }))}
      onChange={(priority) => mutate({ id, action: { priority } })}
    />
  );
}
