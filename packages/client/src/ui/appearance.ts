import { create } from 'zustand';
import { persist } from 'zustand/middleware';

export type Appearance = 'dim' | 'bright';

/** Kept in this browser: it belongs to the room, not to the shot. */
export const useAppearance = create<{ appearance: Appearance; toggle: () => void }>()(
  persist(
    (set) => ({
      appearance: 'dim',
      toggle: () => set((s) => ({ appearance: s.appearance === 'dim' ? 'bright' : 'dim' })),
    }),
    { name: 'ivrex-appearance' },
  ),
);
