import { PERSON_ROLES, type Change, type NewPerson, type Person, type PersonRole } from '@ivrex/contract';
import { Alert, Button, Form, Input, Popconfirm, Select, Table } from 'antd';
import dayjs from 'dayjs';
import { useState } from 'react';
import { sentenceOf } from '../../api/request';
import { useChangeOwnPassword, useChangePeople, useChanges, usePeople, useSession } from '../../api/session';
import { PageFrame } from '../../ui/PageFrame';
import { PasswordButton } from './PasswordButton';

const ROLE_NAMES: Record<PersonRole, string> = {
  look: 'looks',
  work: 'works on shots',
  admin: 'works, and adds people',
};
const ROLES = PERSON_ROLES.map((value) => ({ value, label: ROLE_NAMES[value] }));

/** Who may do what, and who changed what. */
export function PeoplePage() {
  const { data: session } = useSession();
  const isAdmin = session !== undefined && (!session.required || session.person?.role === 'admin');
  const [text, setText] = useState('');
  return (
    <PageFrame title="People" search={{ label: 'Search the log', placeholder: 'Who, shot, what', text, onChange: setText }} actions={null}>
      {session?.required && session.person !== null && <Own person={session.person} />}
      {isAdmin && <People required={session.required} />}
      <Log text={text} />
    </PageFrame>
  );
}

function Own({ person }: { person: Person }) {
  const { mutateAsync } = useChangeOwnPassword();
  return (
    <section className="row" data-testid="own">
      <span>
        You are <b>{person.name}</b>, who {ROLE_NAMES[person.role]}.
      </span>
      <PasswordButton text="Change my password" title="Change my password" asksOld change={mutateAsync} />
    </section>
  );
}

function People({ required }: { required: boolean }) {
  const { data: people, isError, error } = usePeople(true);
  const change = useChangePeople();
  return (
    <section className="queue-part" data-testid="people">
      <h2>People</h2>
      {!required && (
        <span className="quiet">
          On this machine nobody has to sign in. Where the application is reached from others (IVREX_HOST), these people can.
        </span>
      )}
      {isError && <Alert type="error" showIcon title={sentenceOf(error)} />}
      <Table<Person>
        size="small"
        rowKey="id"
        dataSource={people ?? []}
        pagination={false}
        locale={{ emptyText: 'Nobody yet: the first one has to be able to add people' }}
        columns={[
          { title: 'Name', dataIndex: 'name', render: (name: string) => <b>{name}</b> },
          {
            title: 'May',
            width: 240,
            render: (_, p) => (
              <Select<PersonRole>
                size="small"
                aria-label={`What ${p.name} may do`}
                style={{ width: 210 }}
                value={p.role}
                options={ROLES}
                onChange={(role) => change.mutate({ id: p.id, change: { role } })}
              />
            ),
          },
          { title: 'Since', width: 140, render: (_, p) => dayjs(p.createdAt).format('D MMM YYYY') },
          {
            title: '',
            width: 230,
            render: (_, p) => (
              <span className="row">
                <PasswordButton
                  text="New password"
                  title={`New password for ${p.name}`}
                  asksOld={false}
                  change={({ next }) => change.mutateAsync({ id: p.id, change: { password: next } })}
                />
                <Popconfirm title={`Remove ${p.name}?`} okText="Remove" onConfirm={() => change.mutate({ id: p.id, remove: true })}>
                  <Button size="small" danger>
                    Remove
                  </Button>
                </Popconfirm>
              </span>
            ),
          },
        ]}
      />
      {change.isError && <Alert type="error" showIcon title={sentenceOf(change.error)} />}
      {people !== undefined && <AddPerson key={String(people.length === 0)} first={people.length === 0} />}
    </section>
  );
}

function AddPerson({ first }: { first: boolean }) {
  const { mutate, isPending } = useChangePeople();
  const [form] = Form.useForm<NewPerson>();
  const [fault, setFault] = useState<string | null>(null);
  const add = (values: NewPerson) =>
    mutate(
      { add: values },
      {
        onSuccess: () => {
          setFault(null);
          form.resetFields();
        },
        onError: (e) => setFault(sentenceOf(e)),
      },
    );
  return (
    <Form<NewPerson> form={form} layout="inline" size="small" initialValues={{ role: first ? 'admin' : 'work' }} onFinish={add}>
      <Form.Item name="name" rules={[{ required: true, message: 'A name' }]}>
        <Input placeholder="Name" aria-label="Name" maxLength={80} autoComplete="off" />
      </Form.Item>
      <Form.Item name="password" rules={[{ required: true, min: 10, message: 'At least 10 characters' }]}>
        <Input.Password placeholder="Password" aria-label="Password" maxLength={200} autoComplete="new-password" />
      </Form.Item>
      <Form.Item name="role">
        <Select aria-label="May" style={{ width: 210 }} options={ROLES} />
      </Form.Item>
      <Button htmlType="submit" loading={isPending}>
        Add
      </Button>
      {fault !== null && <Alert type="error" showIcon title={fault} />}
    </Form>
  );
}

function Log({ text }: { text: string }) {
  const { data: changes, isError, error } = useChanges();
  const words = text.toLowerCase().split(/\s+/);
  const found = (changes ?? []).filter((c) => words.every((word) => `${c.person} ${c.shot ?? ''} ${c.what}`.toLowerCase().includes(word)));
  return (
    <section className="queue-part" data-testid="changes">
      <h2>Who changed what</h2>
      {isError && <Alert type="error" showIcon title={sentenceOf(error)} />}
      <Table<Change & { readonly key: number }>
        size="small"
        dataSource={found.map((c, key) => ({ ...c, key }))}
        pagination={found.length > 25 ? { pageSize: 25 } : false}
        locale={{ emptyText: text === '' ? 'Nothing has been changed yet' : 'Nothing in the log says that' }}
        columns={[
          { title: 'When', width: 150, render: (_, c) => dayjs(c.at).format('D MMM HH:mm:ss') },
          { title: 'Who', width: 180, dataIndex: 'person' },
          { title: 'Shot', width: 150, dataIndex: 'shot' },
          { title: 'What', dataIndex: 'what' },
        ]}
      />
    </section>
  );
}
