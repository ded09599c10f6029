import { create } from 'zustand';
import { sentenceOf } from '../../api/request';
import { sendFolder, type FileToSend, type UploadProgress } from '../../api/uploads';

export type RunningUpload = { readonly key: number; readonly name: string; readonly stop: () => void } & (
  | { readonly state: 'running'; readonly progress: UploadProgress | null }
  | { readonly state: 'done'; readonly shotId: string }
  | { readonly state: 'failed'; readonly message: string }
);

interface UploadState {
  readonly uploads: readonly RunningUpload[];
  send(name: string, files: readonly FileToSend[]): Promise<string | null>;
  forget(key: number): void;
}

let next = 1;

/** Uploads go on while one works elsewhere in the page. */
export const useUploads = create<UploadState>()((set) => ({
  uploads: [],
  async send(name, files) {
    const key = next++,
      controller = new AbortController();
    const base = { key, name, stop: () => controller.abort() };
    const put = (upload: RunningUpload) => set((s) => ({ uploads: [...s.uploads.filter((u) => u.key !== key), upload] }));
    if (files.length === 0) {
      put({ ...base, state: 'failed', message: 'There are no files in it.' });
      return null;
    }
    put({ ...base, state: 'running', progress: null });
    try {
      const shotId = await sendFolder(name, files, (progress) => put({ ...base, state: 'running', progress }), controller.signal);
      put({ ...base, state: 'done', shotId });
      return shotId;
    } catch (error) {
      put({ ...base, state: 'failed', message: sentenceOf(error) });
      return null;
    }
  },
  forget: (key) => set((s) => ({ uploads: s.uploads.filter((u) => u.key !== key) })),
}));
