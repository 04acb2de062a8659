/** Song: from where it plays, what is chosen in it. */

export interface SongView {
  /** Beat of the song from which it plays, the section that is chosen, and the control whose thread lies over it. */
  songBeat: number;
  section: string | null;
  thread: string | null;
}

export const SONG: SongView = {
  songBeat: 0,
  section: null,
  thread: null,
};
