/** Files on their way to the server. */
import { create } from "zustand";

import type { About, Job, Problem } from "../api/types";
import { noteJob } from "../app/events";
import { toast } from "../app/toasts";

interface Upload {
  id: string;
  name: string;
  share: number;
  abort: () => void;
}

export const useUploads = create<{ uploads: Upload[] }>(() => ({ uploads: [] }));

export function addFiles(pocket: string, files: Iterable<File>, about: About): void {
  for (const file of files) {
    if (file.size > about.most_bytes) {
      const most = Math.round(about.most_bytes / 1e6).toLocaleString("en");
      toast({ title: `${file.name} was not added`, text: `It is larger than ${most} MB, the most that is taken. Cut it shorter and try again.`, tone: "error" });
    } else if (file.size === 0) toast({ title: `${file.name} was not added`, text: "The file is empty.", tone: "error" });
    else send(pocket, file);
  }
}

function send(pocket: string, file: File): void {
  const id = crypto.randomUUID();
  // XMLHttpRequest, because fetch does not tell how far an upload is.
  const request = new XMLHttpRequest();
  const done = () => useUploads.setState((s) => ({ uploads: s.uploads.filter((u) => u.id !== id) }));
  const failed = (text: string) => toast({ title: `${file.name} was not added`, text, tone: "error" });
  request.open("POST", `/api/pockets/${pocket}/imports?name=${encodeURIComponent(file.name)}`);
  request.setRequestHeader("Content-Type", "application/octet-stream");
  request.upload.onprogress = (event) => {
    const share = event.total ? event.loaded / event.total : 0;
    useUploads.setState((s) => ({ uploads: s.uploads.map((u) => (u.id === id ? { ...u, share } : u)) }));
  };
  request.onload = () => {
    done();
    if (request.status === 202) noteJob(JSON.parse(request.responseText) as Job);
    else failed(problem(request));
  };
  request.onerror = () => {
    done();
    failed("The connection to the server broke off. Nothing was added; try again.");
  };
  request.onabort = () => {
    done();
    toast({ title: `${file.name} cancelled`, text: "Nothing was added.", tone: "note" });
  };
  useUploads.setState((s) => ({ uploads: [...s.uploads, { id, name: file.name, share: 0, abort: () => request.abort() }] }));
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
