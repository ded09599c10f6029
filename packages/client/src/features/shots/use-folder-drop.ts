import { useState, type DragEvent } from 'react';
import { useNavigate } from 'react-router';
import { filesOfDrop } from '../../api/dropped-files';
import { useUploads } from './upload-store';

/** A folder or files dropped anywhere on the page are uploaded and become a shot. */
export function useFolderDrop() {
  const [over, setOver] = useState(false);
  const send = useUploads((s) => s.send),
    navigate = useNavigate();
  const handlers = {
    onDragOver(event: DragEvent) {
      if (!event.dataTransfer.types.includes('Files')) return;
      event.preventDefault();
      setOver(true);
    },
    onDragLeave(event: DragEvent) {
      if (event.currentTarget === event.target) setOver(false);
    },
    async onDrop(event: DragEvent) {
      event.preventDefault();
      setOver(false);
      const { name, files } = await filesOfDrop(event.dataTransfer);
      const shotId = await send(name, files);
      if (shotId !== null) void navigate(`/shots/${shotId}/passes`);
    },
  };
  return { over, handlers };
}
