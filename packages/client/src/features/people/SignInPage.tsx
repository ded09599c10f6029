import { Alert, Button, Form, Input } from 'antd';
import type { SignIn } from '@ivrex/contract';
import { useEffect } from 'react';
import { sentenceOf } from '../../api/request';
import { useSignIn } from '../../api/session';

/** Before anything else, where people sign in. What was opened is shown afterwards. */
export function SignInPage() {
  const { mutate, isPending, isError, error } = useSignIn();
  useEffect(() => {
    document.title = 'Sign in - Ivrex';
  }, []);
  return (
    <main className="sign-in">
      <h1>Ivrex</h1>
      <Form<SignIn> className="card" layout="vertical" requiredMark={false} onFinish={(values) => mutate(values)}>
        <Form.Item name="name" label="Name" rules={[{ required: true, message: 'Your name' }]}>
          <Input autoComplete="username" autoFocus maxLength={80} />
        </Form.Item>
        <Form.Item name="password" label="Password" rules={[{ required: true, message: 'Your password' }]}>
          <Input.Password autoComplete="current-password" maxLength={200} />
        </Form.Item>
        {isError && <Alert type="error" showIcon title={sentenceOf(error)} style={{ marginBottom: 10 }} />}
        <Button type="primary" htmlType="submit" loading={isPending} block>
          Sign in
        </Button>
      </Form>
    </main>
  );
}
