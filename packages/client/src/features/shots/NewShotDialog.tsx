import { App, Button, Input, List, Modal, Tag } from 'antd';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import { sentenceOf } from '../../api/request';
import { useMediaFolders, useNewShot } from '../../api/shots';

/** Folders with image sequences below the media folders, or a path typed in. */
export function NewShotDialog({ open, onClose }: { open: boolean; onClose: () => void }) {
  const folders = useMediaFolders(open),
    create = useNewShot(),
    navigate = useNavigate();
  const { message } = App.useApp();
  const [typed, setTyped] = useState('');
  const bring = (folder: string) =>
    create.mutate(folder, {
      onSuccess: ({ id }) => void navigate(`/shots/${id}/passes`),
      onError: (error) => void message.error(sentenceOf(error), 8),
    });
  return (
    <Modal open={open} title="New shot from a folder" footer={null} onCancel={onClose} width={640} destroyOnHidden>
      <p className="quiet">The folder's image sequences become the shot's passes. Files are read where they are and never altered.</p>
      <List
        size="small"
        bordered
        loading={folders.isLoading}
        dataSource={folders.data ?? []}
        style={{ maxHeight: 320, overflowY: 'auto' }}
        locale={{
          emptyText: folders.isError
            ? sentenceOf(folders.error)
            : 'No image sequences in the media folders. Put frames into one, or name more folders in IVREX_MEDIA.',
        }}
        renderItem={(f) => (
          <List.Item
            actions={[
              f.shotId === null ? (
                <Button
                  key="b"
                  size="small"
                  type="primary"
                  loading={create.isPending && create.variables === f.folder}
                  onClick={() => bring(f.folder)}
                >
                  Make a shot
                </Button>
              ) : (
                <Button key="o" size="small" onClick={() => void navigate(`/shots/${f.shotId}`)}>
                  Open
                </Button>
              ),
            ]}
          >
            <List.Item.Meta title={f.name} description={<span style={{ overflowWrap: 'anywhere' }}>{f.folder}</span>} />
            <Tag>
              {f.sequences} {f.sequences === 1 ? 'sequence' : 'sequences'}
            </Tag>
          </List.Item>
        )}
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
    </Modal>
  );
}
