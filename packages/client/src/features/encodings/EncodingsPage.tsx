import { DownloadOutlined, UploadOutlined } from '@ant-design/icons';
import { encodingSchema, parseDocument, type SavedEncoding } from '@ivrex/contract';
import { describeEncoding } from '@ivrex/core';
import { App, Button, Input, Popconfirm, Select, Table, Upload } from 'antd';
import dayjs from 'dayjs';
import { useState } from 'react';
import { Link } from 'react-router';
import { useEncodings, useRemoveEncoding, useSaveEncoding } from '../../api/encodings';
import { sentenceOf } from '../../api/request';
import { PageFrame } from '../../ui/PageFrame';
import { saveAsFile } from '../../api/save-as-file';

/** Every kept encoding: what it says, notes, versions, who uses it; in and out as JSON. */
export function EncodingsPage() {
  const saved = useEncodings(),
    save = useSaveEncoding();
  const { message } = App.useApp();
  const [search, setSearch] = useState('');
  const take = async (file: File) => {
    try {
      const document = parseDocument(await file.text(), encodingSchema, 'encoding', file.name);
      const name = document.name.trim() === '' ? file.name.replace(/\.json$/i, '') : document.name;
      const before = saved.data?.find((s) => s.name === name);
      await save.mutateAsync({ name, document, fingerprint: null });
      void message.success(
        before === undefined ? `${name} is kept.` : `${name} was there already: this is its version ${before.version + 1}.`,
      );
    } catch (error) {
      void message.error(sentenceOf(error));
    }
  };
  const found = saved.data?.filter((s) => `${s.name} ${s.document.note}`.toLowerCase().includes(search.toLowerCase())) ?? [];
  const importer = (
    <Upload accept=".json" multiple showUploadList={false} beforeUpload={(file) => (void take(file), false)}>
      <Button type="primary" size="small" icon={<UploadOutlined />}>
        Import JSON
      </Button>
    </Upload>
  );
  return (
    <PageFrame
      title="Encodings"
      search={
        (saved.data?.length ?? 0) === 0
          ? null
          : { label: 'Find an encoding', placeholder: 'Find in names and notes', text: search, onChange: setSearch }
      }
      actions={(saved.data?.length ?? 0) > 0 && importer}
    >
      {saved.isError ? (
        <div className="empty-state" role="alert">
          <h2>The encodings can't be shown</h2>
          <div>{sentenceOf(saved.error)}</div>
          <Button onClick={() => void saved.refetch()}>Try again</Button>
        </div>
      ) : saved.data?.length === 0 ? (
        <div className="empty-state">
          <h2>No encodings kept yet</h2>
          <div>
            When a motion pass is read, keep its reading under a name in step Motion: the next pass with the same channels gets it proposed.
            Encodings from elsewhere come in as JSON.
          </div>
          {importer}
        </div>
      ) : (
        <Table<SavedEncoding>
          size="small"
          rowKey="name"
          loading={saved.isPending}
          dataSource={found}
          pagination={found.length > 50 ? { pageSize: 50 } : false}
          locale={{ emptyText: 'No encoding says that' }}
          expandable={{ expandedRowRender: (s) => <Versions saved={s} />, rowExpandable: (s) => s.versions.length > 1 }}
          columns={[
            {
              title: 'Name',
              dataIndex: 'name',
              width: '20%',
              sorter: (a, b) => a.name.localeCompare(b.name),
              render: (name: string, s) => (
                <>
                  <b>{name}</b>
                  <div className="quiet">
                    {s.version > 1 ? `version ${s.version}, ` : ''}
                    {dayjs(s.createdAt).format('D MMM YYYY, HH:mm')}
                  </div>
                </>
              ),
            },
            { title: 'How motion is stored', render: (_, s) => <Meaning saved={s} /> },
            { title: 'Notes', width: '24%', render: (_, s) => <Note saved={s} /> },
            {
              title: 'Used by',
              width: 130,
              sorter: (a, b) => a.usedBy.length - b.usedBy.length,
              render: (_, s) =>
                s.usedBy.length === 0 ? (
                  <span className="quiet">no shot</span>
                ) : (
                  s.usedBy.map((u, i) => (
                    <span key={u.shotId}>
                      {i > 0 && ', '}
                      <Link to={`/shots/${u.shotId}/motion`}>{u.shot}</Link>
                    </span>
                  ))
                ),
            },
            { title: '', width: 160, render: (_, s) => <Actions saved={s} /> },
          ]}
        />
      )}
    </PageFrame>
  );
}

function Meaning({ saved: { document } }: { saved: Pick<SavedEncoding, 'document'> }) {
  return (
    <>
      {describeEncoding(document)}
      <div className="quiet">
        {document.sets
          .map((s) => `x in ${s.x}, y in ${s.y}${s.length === null ? '' : `, length in ${s.length}`}${s.z ? `, z in ${s.z}` : ''}`)
          .join(' and ')}
        {document.space === 'screen' ? '' : `, ${document.space} space`}
      </div>
    </>
  );
}

/** A changed note is a new version: what was written before stays. */
function Note({ saved }: { saved: SavedEncoding }) {
  const save = useSaveEncoding();
  const { message } = App.useApp();
  const [text, setText] = useState<string | null>(null);
  const keep = () => {
    if (text !== null && text !== saved.document.note)
      save.mutate(
        { name: saved.name, document: { ...saved.document, note: text }, fingerprint: null },
        { onError: (e) => void message.error(sentenceOf(e)) },
      );
    setText(null);
  };
  return (
    <Input.TextArea
      aria-label={`Note for ${saved.name}`}
      placeholder="from which program, for which show"
      autoSize={{ minRows: 1, maxRows: 6 }}
      variant="borderless"
      maxLength={4000}
      value={text ?? saved.document.note}
      onChange={(e) => setText(e.target.value)}
      onBlur={keep}
    />
  );
}

function Actions({ saved }: { saved: SavedEncoding }) {
  const remove = useRemoveEncoding();
  const { message } = App.useApp();
  return (
    <div className="row" style={{ justifyContent: 'flex-end' }}>
      <Button
        size="small"
        icon={<DownloadOutlined />}
        aria-label={`Export ${saved.name}`}
        onClick={() => saveAsFile(saved.name, saved.document)}
      >
        JSON
      </Button>
      <Popconfirm
        title={`Remove ${saved.name}${saved.versions.length > 1 ? ` and its ${saved.versions.length} versions` : ''}?`}
        description={saved.usedBy.length > 0 ? 'Shots that read with it keep their own copy.' : null}
        okText="Remove"
        cancelText="Keep"
        onConfirm={() => remove.mutate(saved.id, { onError: (e) => void message.error(sentenceOf(e)) })}
      >
        <Button size="small" aria-label={`Remove ${saved.name}`}>
          Remove
        </Button>
      </Popconfirm>
    </div>
  );
}

function Versions({ saved }: { saved: SavedEncoding }) {
  const save = useSaveEncoding();
  const older = saved.versions.slice(1);
  const [picked, setPicked] = useState(older[0]?.id ?? null);
  const version = older.find((v) => v.id === picked);
  return (
    <div className="row">
      <span>Earlier:</span>
      <Select
        size="small"
        aria-label={`Earlier versions of ${saved.name}`}
        value={picked}
        style={{ width: 230 }}
        options={older.map((v) => ({ value: v.id, label: `version ${v.version}, ${dayjs(v.createdAt).format('D MMM YYYY, HH:mm')}` }))}
        onChange={setPicked}
      />
      {version !== undefined && (
        <>
          <span className="grow quiet">
            {describeEncoding(version.document)}
            {version.document.note === '' ? '' : `. ${version.document.note}`}
          </span>
          <Button
            size="small"
            loading={save.isPending}
            onClick={() => save.mutate({ name: saved.name, document: version.document, fingerprint: null })}
          >
            Make it the newest again
          </Button>
        </>
      )}
    </div>
  );
}
