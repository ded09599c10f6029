import { Button, Progress } from 'antd';
import { Link } from 'react-router';
import { useUploads, type RunningUpload } from './upload-store';

/** What is on its way to the server. */
export function UploadCards() {
  const { uploads, forget } = useUploads();
  return uploads.map((upload) => (
    <div className="card" key={upload.key} role="status" data-testid="upload">
      <div className="row">
        <b className="grow">{upload.name}</b>
        <span className={upload.state === 'failed' ? 'bad' : 'quiet'}>{textOf(upload)}</span>
        {upload.state === 'running' ? (
          <Button size="small" onClick={upload.stop}>
            Stop
          </Button>
        ) : (
          <>
            {upload.state === 'done' && <Link to={`/shots/${upload.shotId}/passes`}>Open the shot</Link>}
            <Button size="small" onClick={() => forget(upload.key)}>
              Close
            </Button>
          </>
        )}
      </div>
      {upload.state === 'running' && upload.progress !== null && (
        <Progress
          size="small"
          percent={Math.floor((100 * upload.progress.sentBytes) / Math.max(1, upload.progress.totalBytes))}
          status={upload.progress.waiting ? 'exception' : 'active'}
        />
      )}
    </div>
  ));
}

function textOf(upload: RunningUpload): string {
  switch (upload.state) {
    case 'failed':
      return upload.message;
    case 'done':
      return 'is there';
    case 'running': {
      const { progress } = upload;
      if (progress === null) return 'starting';
      if (progress.waiting) return 'the server does not answer; it goes on by itself when it is back';
      if (progress.filesDone === progress.files) return 'looking at what came';
      const mega = (bytes: number) => (bytes / 2 ** 20).toFixed(1);
      return `${progress.filesDone} of ${progress.files} files, ${mega(progress.sentBytes)} of ${mega(progress.totalBytes)} MB`;
    }
  }
}
