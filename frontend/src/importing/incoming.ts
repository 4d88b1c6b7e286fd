import { create } from "zustand";

/** A file on its way in: as a new project, or as the next file of one. */
interface Incoming {
  file: File | null;
  project: number | null;
  begin: (file: File, project: number | null) => void;
}

export const useIncoming = create<Incoming>((set) => ({
  file: null,
  project: null,
  begin: (file, project) => set({ file, project }),
}));
