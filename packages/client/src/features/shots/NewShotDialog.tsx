import { FolderOpenOutlined, FolderOutlined, UpOutlined } from '@ant-design/icons';
import type { FolderListing } from '@ivrex/contract';
import { App, Button, Input, List, Modal, Spin } from 'antd';
import { useRef, useState } from 'react';
import { useNavigate } from 'react-router';
import { filesOfInput } from '../../api/dropped-files';
import { sentenceOf } from '../../api/request';
import { useFolder, useNewShot } from '../../api/shots';
import { useUploads } from './upload-store';

/** Folders of the server to choose from, a path typed in, or a folder of this computer. */
export function NewShotDialog({ open, onClose }: { open: boolean; onClose: () => void }) {
  const create = useNewShot(),
    navigate = useNavigate(),
    send = useUploads((s) => s.send);
  const { message } = App.useApp();
  const [typed, setTyped] = useState('');
  const chooser = useRef<HTMLInputElement>(null);
  const bring = (folder: string) =>
    create.mutate(folder, {
      onSuccess: ({ id }) => void navigate(`/shots/${id}/passes`),
      onError: (error) => void message.error(sentenceOf(error), 8),
    });
  const upload = async (list: FileList) => {
    const { name, files } = filesOfInput(list);
    onClose();
    const shotId = await send(name, files);
    if (shotId !== null) void navigate(`/shots/${shotId}/passes`);
  };
  return (
    <Modal open={open} title="New shot from a folder" footer={null} onCancel={onClose} width={680} destroyOnHidden>
      <p className="quiet">
        The folder's sequences become the shot's passes, also those in folders inside it. Files are read where they are and never altered.
      </p>
      <FolderBrowser
        open={open}
        busy={create.isPending ? (create.variables ?? null) : null}
        onBring={bring}
        onOpenShot={(id) => void navigate(`/shots/${id}`)}
      />
      <div className="row" style={{ marginTop: 12 }}>
        <Input
          className="grow"
          placeholder="or type a folder's path"
          aria-label="Folder path"
          value={typed}
          onChange={(e) => setTyped(e.target.value)}
          onPressEnter={() => typed !== '' && bring(typed)}
        />
        <Button disabled={typed === ''} loading={create.isPending && create.variables === typed} onClick={() => bring(typed)}>
          Make a shot
        </Button>
      </div>
      <div className="row" style={{ marginTop: 12 }}>
        <span className="quiet grow">On this computer? Drop the folder anywhere on the page, or</span>
        <input
          ref={chooser}
          type="file"
          multiple
          hidden
          data-testid="folder-chooser"
          {...{ webkitdirectory: '' }}
          onChange={(e) => e.target.files && e.target.files.length > 0 && void upload(e.target.files)}
        />
        <Button onClick={() => chooser.current?.click()}>Upload a folder</Button>
      </div>
    </Modal>
  );
}

interface BrowserProps {
  readonly open: boolean;
  readonly busy: string | null;
  readonly onBring: (folder: string) => void;
  readonly onOpenShot: (id: string) => void;
}

function FolderBrowser({ open, busy, onBring, onOpenShot }: BrowserProps) {
  const [folder, setFolder] = useState<string | null>(null);
  const listing = useFolder(folder, open);
  if (listing.isError)
    return (
      <div className="card" role="alert">
        {sentenceOf(listing.error)} <Button onClick={() => setFolder(null)}>Back to the media folders</Button>
      </div>
    );
  if (listing.data === undefined) return <Spin style={{ display: 'block', padding: 40 }} />;
  const { data } = listing;
  return (
    <div className="card" data-testid="folder-browser">
      <div className="row">
        <Button
          size="small"
          aria-label="One folder up"
          icon={<UpOutlined />}
          disabled={data.parent === null}
          onClick={() => setFolder(data.parent === '' ? null : data.parent)}
        />
        <span className="grow" style={{ overflowWrap: 'anywhere' }}>
          {folder === null ? 'Media folders' : data.folder}
        </span>
        {folder !== null && data.shotId !== null && <Button onClick={() => onOpenShot(data.shotId ?? '')}>Open the shot</Button>}
        {folder !== null && data.shotId === null && data.sequences.length > 0 && (
          <Button size="small" type="primary" loading={busy === data.folder} onClick={() => onBring(data.folder)}>
            Make a shot of this folder
          </Button>
        )}
      </div>
      <FolderRows data={data} busy={busy} onEnter={setFolder} onBring={onBring} onOpenShot={onOpenShot} />
    </div>
  );
}

function FolderRows({
  data,
  busy,
  onEnter,
  onBring,
  onOpenShot,
}: { data: FolderListing; onEnter: (folder: string) => void } & Omit<BrowserProps, 'open'>) {
  return (
    <>
      <List
        size="small"
        dataSource={data.folders}
        style={{ maxHeight: 260, overflowY: 'auto' }}
        locale={{ emptyText: data.sequences.length > 0 ? 'No folders inside.' : 'This folder is empty.' }}
        renderItem={(f) => (
          <List.Item
            actions={[
              f.shotId === null ? (
                <Button key="b" size="small" loading={busy === f.folder} onClick={() => onBring(f.folder)}>
                  Make a shot
                </Button>
              ) : (
                <Button key="o" size="small" onClick={() => onOpenShot(f.shotId ?? '')}>
                  Open the shot
                </Button>
              ),
            ]}
          >
            <button type="button" className="folder" aria-label={f.name} onClick={() => onEnter(f.folder)}>
              {f.shotId === null ? <FolderOutlined /> : <FolderOpenOutlined />} {f.name}
            </button>
          </List.Item>
        )}
      />
      {data.sequences.length > 0 && (
        <div className="quiet sequences">
          {data.sequences.slice(0, 12).map((s) => (
            <div key={s.name}>
              {s.name} · {s.frames === 1 ? '1 frame' : `${s.frames} frames`}
              {s.missing > 0 && `, ${s.missing} missing`}
            </div>
          ))}
          {data.sequences.length > 12 && <div>and {data.sequences.length - 12} more</div>}
        </div>
      )}
    </>
  );
}
