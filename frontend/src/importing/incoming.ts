import { create } from "zustand";

/** A file on its way in: as a new project, or as the next wave of one. */
interface Incoming {
  file: File | null;
  wave: number | null;
  begin: (file: File, wave: number | null) => void;
}

export const useIncoming = create<Incoming>((set) => ({
  file: null,
  wave: null,
  begin: (file, wave) => set({ file, wave }),
}));
