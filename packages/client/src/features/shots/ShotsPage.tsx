import { FolderOpenOutlined, PlusOutlined } from '@ant-design/icons';
import type { ShotSummary } from '@ivrex/contract';
import { Button, Progress, Tag } from 'antd';
import dayjs from 'dayjs';
import relativeTime from 'dayjs/plugin/relativeTime';
import { useEffect, useState } from 'react';
import { Link } from 'react-router';
import { sentenceOf } from '../../api/request';
import { useShots, useWork } from '../../api/shots';
import { PageFrame } from '../../ui/PageFrame';
import { Thumbnail } from '../../viewer/Thumbnail';
import { NewShotDialog } from './NewShotDialog';
import { UploadCards } from './UploadCards';
import { useFolderDrop } from './use-folder-drop';

dayjs.extend(relativeTime);

export function ShotsPage() {
  const shots = useShots(),
    work = useWork();
  const [search, setSearch] = useState(''),
    [adding, setAdding] = useState(false);
  const drop = useFolderDrop();
  const found = shots.data?.filter((shot) => shot.name.toLowerCase().includes(search.toLowerCase())) ?? [];
  return (
    <PageFrame
      title="Shots"
      handlers={drop.handlers}
      over={drop.over && <div className="drop-hint">Drop a folder of frames: it becomes a shot</div>}
      search={
        (shots.data?.length ?? 0) === 0 ? null : { label: 'Find a shot', placeholder: 'Find a shot', text: search, onChange: setSearch }
      }
      actions={
        <Button type="primary" size="small" icon={<PlusOutlined />} onClick={() => setAdding(true)}>
          New shot
        </Button>
      }
    >
      <UploadCards />
      {work.data
        ?.filter((w) => w.state !== 'done')
        .map((w) => (
          <div className="card" key={w.kind} role="status">
            <div className="row">
              <b className="grow">{w.label}</b>
              <span className="quiet">
                {w.state === 'failed'
                  ? w.error
                  : `${w.done} of ${w.total} files${w.secondsLeft === null ? '' : `, about ${Math.ceil(w.secondsLeft)} s left`}`}
              </span>
            </div>
            <Progress
              percent={w.total === 0 ? 0 : Math.round((100 * w.done) / w.total)}
              status={w.state === 'failed' ? 'exception' : 'active'}
              size="small"
            />
          </div>
        ))}
      {shots.isError ? (
        <div className="empty-state" role="alert">
          <h2>The shots can't be shown</h2>
          <div>{sentenceOf(shots.error)}</div>
          <Button onClick={() => void shots.refetch()}>Try again</Button>
        </div>
      ) : shots.data?.length === 0 ? (
        <div className="empty-state">
          <FolderOpenOutlined style={{ fontSize: 30 }} />
          <h2>No shots yet</h2>
          <div>
            A shot is a folder of rendered frames: a sharp beauty and its motion pass. Choose one on the server, where its files stay where
            they are, or drop one here from your computer.
          </div>
          <Button type="primary" onClick={() => setAdding(true)}>
            Choose a folder
          </Button>
        </div>
      ) : shots.data && found.length === 0 ? (
        <div className="empty-state">
          <h2>No shot is called that</h2>
          <Button onClick={() => setSearch('')}>Show all {shots.data.length}</Button>
        </div>
      ) : (
        <div className="shot-grid">
          {found.map((shot) => (
            <ShotCard key={shot.id} shot={shot} />
          ))}
        </div>
      )}
      <NewShotDialog open={adding} onClose={() => setAdding(false)} />
    </PageFrame>
  );
}

const STEP_NAMES = { passes: 'Passes to agree on', motion: 'Motion to read', shutter: 'Shutter to set', deliver: 'Delivered' } as const;

function ShotCard({ shot }: { shot: ShotSummary }) {
  const [hover, setHover] = useState(false);
  const frame = useHoverFrame(shot, hover, shot.posterFrame);
  return (
    <Link
      className="shot-card"
      to={`/shots/${shot.id}/${shot.step}`}
      onMouseEnter={() => setHover(true)}
      onMouseLeave={() => setHover(false)}
    >
      <div className="frame">
        {shot.thumbnailPass && <Thumbnail passId={shot.thumbnailPass} role="beauty" frame={frame} width={shot.width} />}
      </div>
      <div className="text">
        <span className="name" title={shot.name}>
          {shot.name}
        </span>
        <span className="quiet">
          {shot.firstFrame} to {shot.lastFrame} · {shot.width} x {shot.height} · {shot.fps ?? '?'} fps
        </span>
        <span className="row">
          <Tag>{STEP_NAMES[shot.step]}</Tag>
          {shot.openFindings > 0 && (
            <Tag color="warning">
              {shot.openFindings} {shot.openFindings === 1 ? 'finding' : 'findings'}
            </Tag>
          )}
          <span className="grow" />
          <span className="quiet">{dayjs(shot.changedAt).fromNow()}</span>
        </span>
      </div>
    </Link>
  );
}

/** Plays the card's frames while the pointer is over it. */
function useHoverFrame(shot: ShotSummary, hover: boolean, rest: number): number {
  const [frame, setFrame] = useState(rest);
  useEffect(() => {
    if (!hover) {
      setFrame(rest);
      return;
    }
    const timer = setInterval(() => setFrame((f) => (f >= shot.lastFrame ? shot.firstFrame : f + 1)), 1000 / 12);
    return () => clearInterval(timer);
  }, [hover, rest, shot.firstFrame, shot.lastFrame]);
  return frame;
}
