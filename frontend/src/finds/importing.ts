/** Files on their way to the server: one by one, or whole folders of them. */
import { isMidi, takeMidi } from "../app/midiFiles";
import { create } from "zustand";

import type { About, Job, Problem } from "../api/types";
import { noteJob, onceMore } from "../app/events";
import { toast } from "../app/toasts";

interface Upload {
  id: string;
  name: string;
  share: number;
  abort: () => void;
}

/** folder: how far the files of a dropped folder are, all together. */
interface Uploads {
  uploads: Upload[];
  folder: { name: string; sent: number; count: number } | null;
}

export const useUploads = create<Uploads>(() => ({ uploads: [], folder: null }));
/** Sent side by side at most; the rest of a folder waits its turn. */
const AT_ONCE = 3;
const queue: { pocket: string; file: File; again: boolean }[] = [];

export function addFiles(pocket: string, files: Iterable<File>, about: About): void {
  for (const file of files) {
    if (file.size > about.most_bytes) {
      const most = Math.round(about.most_bytes / 1e6).toLocaleString("en");
      toast({
        title: `${file.name} was not added`,
        text: `It is larger than ${most} MB, the most that is taken. Cut it shorter and try again.`,
        tone: "error",
      });
    } else if (file.size === 0)
      toast({ title: `${file.name} was not added`, text: "The file is empty.", tone: "error" });
    else queue.push({ pocket, file, again: false });
  }
  pump();
}

/** What was dropped: files as they are, and the audio files of folders, however deep. */
export async function addDropped(pocket: string, data: DataTransfer, about: About): Promise<void> {
  const entries = [...data.items].map((item) => item.webkitGetAsEntry()).filter((entry) => entry !== null);
  const folders = entries.filter((entry) => entry.isDirectory);
  const loose = [...data.files].filter((file) => !folders.some((folder) => folder.name === file.name) && !isMidi(file));
  for (const file of data.files) if (isMidi(file)) void takeMidi(file);
  addFiles(pocket, loose, about);
  for (const folder of folders) {
    const found: File[] = [];
    await gather(folder as FileSystemDirectoryEntry, about.formats, found);
    found.sort((a, b) => a.name.localeCompare(b.name, undefined, { numeric: true }));
    if (!found.length)
      toast({
        title: `Nothing to add in ${folder.name}`,
        text: `It holds no ${about.formats.join(" ")} files.`,
        tone: "error",
      });
    else {
      const before = useUploads.getState().folder;
      useUploads.setState({
        folder: {
          name: before ? `${before.name}, ${folder.name}` : folder.name,
          sent: before?.sent ?? 0,
          count: (before?.count ?? 0) + found.length,
        },
      });
      ofFolder = new Set([...ofFolder, ...found]);
      addFiles(pocket, found, about);
    }
  }
}

let ofFolder = new Set<File>();

async function gather(folder: FileSystemDirectoryEntry, formats: string[], into: File[]): Promise<void> {
  const reader = folder.createReader();
  for (;;) {
    // A reader gives a hundred at a time, and none when it is through.
    const some = await new Promise<FileSystemEntry[]>((resolve) => reader.readEntries(resolve, () => resolve([])));
    if (!some.length) return;
    for (const entry of some) {
      if (entry.isDirectory) await gather(entry as FileSystemDirectoryEntry, formats, into);
      else if (formats.some((ending) => entry.name.toLowerCase().endsWith(ending)) && !entry.name.startsWith("."))
        await new Promise<void>((done) =>
          (entry as FileSystemFileEntry).file(
            (file) => (into.push(file), done()),
            () => done(),
          ),
        );
    }
  }
}

function pump(): void {
  while (queue.length && useUploads.getState().uploads.length < AT_ONCE) {
    const next = queue.shift();
    if (next) send(next.pocket, next.file, next.again);
  }
}

/** Forget what still waits of a folder; what was sent stays. */
export function stopFolder(): void {
  for (let i = queue.length - 1; i >= 0; i--) if (ofFolder.has((queue[i] as { file: File }).file)) queue.splice(i, 1);
  ofFolder.clear();
  useUploads.setState({ folder: null });
}

/** Job of each file that was sent, to send it once more when it turns out to be there already. */
const sent = new Map<string, { pocket: string; file: File }>();

onceMore.get = (job) => {
  const one = sent.get(job);
  return one ? () => (queue.push({ ...one, again: true }), pump()) : null;
};

function send(pocket: string, file: File, again: boolean): void {
  const id = crypto.randomUUID();
  // XMLHttpRequest, because fetch does not tell how far an upload is.
  const request = new XMLHttpRequest();
  const done = () => {
    const inFolder = ofFolder.delete(file);
    useUploads.setState((s) => {
      const folder = s.folder && inFolder ? { ...s.folder, sent: s.folder.sent + 1 } : s.folder;
      return {
        uploads: s.uploads.filter((u) => u.id !== id),
        folder: folder && folder.sent >= folder.count ? null : folder,
      };
    });
    pump();
  };
  const failed = (text: string) => toast({ title: `${file.name} was not added`, text, tone: "error" });
  request.open("POST", `/api/pockets/${pocket}/imports?name=${encodeURIComponent(file.name)}&again=${again}`);
  request.setRequestHeader("Content-Type", "application/octet-stream");
  request.upload.onprogress = (event) => {
    const share = event.total ? event.loaded / event.total : 0;
    useUploads.setState((s) => ({ uploads: s.uploads.map((u) => (u.id === id ? { ...u, share } : u)) }));
  };
  request.onload = () => {
    done();
    if (request.status !== 202) return failed(problem(request));
    const job = JSON.parse(request.responseText) as Job;
    sent.set(job.id, { pocket, file });
    noteJob(job);
  };
  request.onerror = () => {
    done();
    failed("The connection to the server broke off. Nothing was added; try again.");
  };
  request.onabort = () => {
    done();
    toast({ title: `${file.name} cancelled`, text: "Nothing was added.", tone: "note" });
  };
  useUploads.setState((s) => ({
    uploads: [...s.uploads, { id, name: file.name, share: 0, abort: () => request.abort() }],
  }));
  request.send(file);
}

function problem(request: XMLHttpRequest): string {
  if (request.status === 413) return "It is larger than the server takes. Cut it shorter and try again.";
  try {
    return (JSON.parse(request.responseText) as Problem).message;
  } catch {
    return `The server answered ${request.status}. Nothing was added; try again.`;
  }
}
