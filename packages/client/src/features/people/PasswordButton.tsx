import type { OwnPassword } from '@ivrex/contract';
import { Alert, Button, Form, Input, Modal } from 'antd';
import { useId, useState } from 'react';
import { sentenceOf } from '../../api/request';

interface Props {
  readonly text: string;
  readonly title: string;
  /** One's own is changed by who knows it. */
  readonly asksOld: boolean;
  readonly change: (words: OwnPassword) => Promise<unknown>;
}

/** Opens a form for a new password. */
export function PasswordButton({ text, title, asksOld, change }: Props) {
  const [open, setOpen] = useState(false),
    [fault, setFault] = useState<string | null>(null),
    [busy, setBusy] = useState(false);
  const id = useId();
  const close = () => {
    setOpen(false);
    setFault(null);
  };
  const keep = async ({ password = '', next }: OwnPassword) => {
    setBusy(true);
    try {
      await change({ password, next });
      close();
    } catch (error) {
      setFault(sentenceOf(error));
    } finally {
      setBusy(false);
    }
  };
  return (
    <>
      <Button size="small" aria-label={title} onClick={() => setOpen(true)}>
        {text}
      </Button>
      <Modal
        open={open}
        title={title}
        width={380}
        okText="Change it"
        confirmLoading={busy}
        okButtonProps={{ htmlType: 'submit', form: id }}
        onCancel={close}
        destroyOnHidden
      >
        <Form<OwnPassword & { readonly again: string }> name={id} preserve={false} layout="vertical" requiredMark={false} onFinish={keep}>
          {asksOld && (
            <Form.Item name="password" label="Your password as it is now" rules={[{ required: true, message: 'Your password' }]}>
              <Input.Password autoComplete="current-password" maxLength={200} autoFocus />
            </Form.Item>
          )}
          <Form.Item name="next" label="The new one" rules={[{ required: true, min: 10, message: 'At least 10 characters' }]}>
            <Input.Password autoComplete="new-password" maxLength={200} autoFocus={!asksOld} />
          </Form.Item>
          <Form.Item
            name="again"
            label="The new one again"
            dependencies={['next']}
            rules={[
              ({ getFieldValue }) => ({
                validator: (_, again) =>
                  again === getFieldValue('next') ? Promise.resolve() : Promise.reject(new Error('This is another one')),
              }),
            ]}
          >
            <Input.Password autoComplete="new-password" maxLength={200} />
          </Form.Item>
          <span className="evidence">Browsers that are signed in under the old one are signed out.</span>
          {fault !== null && <Alert type="error" showIcon title={fault} style={{ marginTop: 10 }} />}
        </Form>
      </Modal>
    </>
  );
}
