import { deliveryOptionsSchema, stackOf, type Delivery, type DeliveryOptions } from '@ivrex/contract';
import { Alert, Button, Form, Input, InputNumber, Progress, Select, Tag } from 'antd';
import dayjs from 'dayjs';
import { useState } from 'react';
import { Link } from 'react-router';
import { useDeliveries, useDeliveryAction, useOrderDelivery } from '../../api/deliveries';
import { sentenceOf } from '../../api/request';
import { ReportCard } from '../match/ReportCard';
import { useShotContext } from '../shot/ShotPage';

/** Stands for the assembled picture among the elements' ids, none of which has a capital. */
const ASSEMBLED = 'ALL';

/** Orders the blurred sequence and shows how far it is. */
export function DeliverPanel() {
  const { whole } = useShotContext();
  const { shot, settings } = whole;
  const deliveries = useDeliveries(shot.id),
    order = useOrderDelivery(shot.id);
  const [form] = Form.useForm<DeliveryOptions>();
  const stack = stackOf(settings);
  const [what, setWhat] = useState<string>(stack.length > 1 ? ASSEMBLED : settings.elements[0].id);
  const content: DeliveryOptions['what'] =
    what === ASSEMBLED ? { kind: 'assembled' } : { kind: 'element', element: stack.find((e) => e.id === what)?.id ?? null };
  const name = Form.useWatch('name', form),
    last = Form.useWatch('firstFrame', form);
  if (settings.elements[0].encoding === null)
    return (
      <div className="empty-state">
        <h2>Nothing to deliver yet</h2>
        <div>Say how the motion is stored, then set the shutter.</div>
        <Link to="../motion">Go to Motion</Link>
      </div>
    );
  return (
    <>
      <h2>Deliver</h2>
      <Form
        key={what}
        form={form}
        layout="vertical"
        className="card"
        initialValues={{
          name: what === ASSEMBLED ? `${shot.name}_assembled` : stack.length > 1 ? `${shot.name}_${what}_blurred` : `${shot.name}_blurred`,
          firstFrame: shot.firstFrame,
          lastFrame: shot.lastFrame,
          type: 'half',
          compression: 'zip',
        }}
        onFinish={(values) => order.mutate(deliveryOptionsSchema.parse({ ...values, what: content }))}
      >
        <Form.Item label="What is delivered">
          <Select
            aria-label="What is delivered"
            value={what}
            options={[
              { value: ASSEMBLED, label: 'All elements put together over the plate' },
              ...stack.map((e) => ({ value: e.id, label: `${e.name} alone, blurred` })),
            ]}
            onChange={setWhat}
          />
        </Form.Item>
        <Form.Item
          name="name"
          label="Name"
          rules={[
            { pattern: /^[A-Za-z0-9][A-Za-z0-9_.-]{0,79}$/, message: 'Letters, digits, dot, dash and underscore' },
            { required: true, message: 'A name is needed' },
          ]}
        >
          <Input />
        </Form.Item>
        <div className="grid2">
          <Form.Item name="firstFrame" label="From" rules={[{ required: true, message: 'A frame is needed' }]}>
            <InputNumber style={{ width: '100%' }} precision={0} />
          </Form.Item>
          <Form.Item
            name="lastFrame"
            label="To"
            dependencies={['firstFrame']}
            rules={[
              { required: true, message: 'A frame is needed' },
              ({ getFieldValue }) => ({
                validator: (_, v: number) =>
                  v >= (getFieldValue('firstFrame') as number) ? Promise.resolve() : Promise.reject(new Error('Ends before it starts')),
              }),
            ]}
          >
            <InputNumber style={{ width: '100%' }} precision={0} />
          </Form.Item>
          <Form.Item name="type" label="Values">
            <Select
              options={[
                { value: 'half', label: 'Half float' },
                { value: 'float', label: 'Float' },
              ]}
            />
          </Form.Item>
          <Form.Item name="compression" label="Compression">
            <Select
              options={[
                { value: 'zip', label: 'ZIP' },
                { value: 'zips', label: 'ZIPS' },
                { value: 'piz', label: 'PIZ' },
                { value: 'rle', label: 'RLE' },
                { value: 'none', label: 'None' },
                { value: 'dwaa', label: 'DWAA (lossy)' },
                { value: 'dwab', label: 'DWAB (lossy)' },
                { value: 'pxr24', label: 'PXR24 (floats to 24 bits)' },
              ]}
            />
          </Form.Item>
        </div>
        <span className="evidence">
          Writes {name}.{String(last ?? '').padStart(4, '0')}.exr and so on: red, green, blue and alpha, premultiplied, scene-linear
          {what === ASSEMBLED ? ', with everything that step Assemble does' : ', with the edge and the colour that it has in step Assemble'}
          . A frame appears when it is whole.
        </span>
        {order.isError && <Alert type="error" showIcon title={sentenceOf(order.error)} />}
        <Button type="primary" htmlType="submit" loading={order.isPending} style={{ marginTop: 10 }}>
          Render the sequence
        </Button>
      </Form>
      {deliveries.data?.map((d) => (
        <DeliveryCard key={d.id} delivery={d} shotId={shot.id} />
      ))}
      {deliveries.data?.length === 0 && <p>Nothing has been delivered from this shot yet.</p>}
      {deliveries.isError && <Alert type="error" showIcon title={sentenceOf(deliveries.error)} />}
      <ReportCard />
    </>
  );
}

const STATE_NAMES = { running: 'rendering', done: 'done', failed: 'some frames failed', cancelled: 'cancelled' } as const;

function DeliveryCard({ delivery, shotId }: { delivery: Delivery; shotId: string }) {
  const action = useDeliveryAction(shotId);
  const { state, frames } = delivery;
  const done = frames.filter((f) => f.state === 'done').length,
    failed = frames.filter((f) => f.state === 'failed');
  return (
    <div className="card" data-testid="delivery" data-state={state}>
      <div className="row">
        <b className="grow" style={{ overflowWrap: 'anywhere' }}>
          {delivery.options.name}
        </b>
        <Tag color={state === 'done' ? 'success' : state === 'failed' ? 'error' : state === 'running' ? 'processing' : 'default'}>
          {STATE_NAMES[state]}
        </Tag>
      </div>
      <Progress
        percent={Math.round((100 * done) / frames.length)}
        size="small"
        status={state === 'failed' ? 'exception' : state === 'done' ? 'success' : 'normal'}
      />
      <div className="frame-cells">
        {frames.map((f) => (
          <i key={f.frame} className={f.state} title={`${f.frame}: ${f.error ?? f.state}`} />
        ))}
      </div>
      <span className="evidence">
        {done} of {frames.length} frames{delivery.secondsLeft === null ? '' : `, about ${Math.ceil(delivery.secondsLeft)} s left`} ·{' '}
        {delivery.options.what.kind === 'assembled' ? 'assembled · ' : ''}
        {delivery.shutter} · {dayjs(delivery.createdAt).format('D MMM HH:mm')}
      </span>
      {failed.slice(0, 3).map((f) => (
        <span className="finding" key={f.frame}>
          <span className="error">!</span>
          <span>
            Frame {f.frame}: {f.error}
          </span>
        </span>
      ))}
      <span className="evidence" style={{ overflowWrap: 'anywhere' }}>
        {delivery.folder}
      </span>
      <div className="row">
        {state === 'running' && (
          <Button size="small" danger loading={action.isPending} onClick={() => action.mutate({ id: delivery.id, action: 'cancel' })}>
            Cancel
          </Button>
        )}
        {(state === 'failed' || state === 'cancelled') && (
          <Button size="small" loading={action.isPending} onClick={() => action.mutate({ id: delivery.id, action: 'resume' })}>
            Render what is missing
          </Button>
        )}
      </div>
      {action.isError && <Alert type="error" showIcon title={sentenceOf(action.error)} />}
    </div>
  );
}
