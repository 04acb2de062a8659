/** What an empty pocket offers: a file, a recording, or one of our own records. */
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { api, ask } from "../api/client";
import { useAbout } from "../app/about";
import { usePocket } from "../app/pocket";
import { toast } from "../app/toasts";
import { useView } from "../app/view";
import { previewPlayer, usePreview } from "../audio/preview";
import { Button } from "../design/Button";
import { AddFiles } from "../finds/AddFiles";
import { addFiles } from "../finds/importing";

export function Beginning() {
  const { look } = useView.getState();
  return (
    <section
      aria-label="Begin"
      className="m-4 flex max-w-[560px] flex-col gap-4 rounded-[4px] border border-dashed border-ink2 p-6"
    >
      <h2 className="title text-[19px]">What shall it be made of?</h2>
      <p>
        Drop a loop, a break or a song anywhere in this window: WAV, AIFF, FLAC, Ogg or MP3. It is listened to, cut, and
        ready for the pads.
      </p>
      <p className="flex gap-2">
        <AddFiles tone="solid" label="Choose audio files">
          Choose a file
        </AddFiles>
        <Button
          hint="The line input, or what plays here"
          onClick={() => look({ recording: true, findsOpen: true, findsShut: false })}
        >
          Record something
        </Button>
      </p>
      <Records />
    </section>
  );
}

function Records() {
  const { data } = useQuery({
    queryKey: ["records"],
    queryFn: () => ask(api.GET("/api/records")),
    staleTime: Infinity,
  });
  if (!data?.records.length) return null;
  return (
    <div>
      <h3 className="title mb-1.5 text-[14.5px]">Or one of our records</h3>
      <ul className="flex flex-col">
        {data.records.map((record) => (
          <RecordRow key={record.name} record={record} />
        ))}
      </ul>
    </div>
  );
}

function RecordRow({ record }: { record: { name: string; file: string; seconds: number; frames: number } }) {
  const about = useAbout();
  const pocket = usePocket((s) => s.open?.id);
  const url = `/api/records/${encodeURIComponent(record.name)}/sound`;
  const heard = usePreview((s) => s.preview?.url === url);
  const [coming, setComing] = useState(false);
  const hear = () =>
    heard
      ? previewPlayer.stop()
      : void previewPlayer
          .play(record.name, 0, record.frames, url, 0, false)
          .catch((error: Error) =>
            toast({ title: `${record.name} cannot be played`, text: error.message, tone: "error" }),
          );
  async function take() {
    if (!about || !pocket || coming) return;
    setComing(true);
    try {
      const answer = await fetch(`/api/records/${encodeURIComponent(record.name)}/file`);
      if (!answer.ok) throw new Error("The server does not give it out.");
      previewPlayer.stop();
      addFiles(pocket, [new File([await answer.blob()], record.file)], about);
    } catch (error) {
      toast({ title: `${record.name} was not added`, text: (error as Error).message, tone: "error" });
    } finally {
      // From here on it is among what comes in, with its progress; what fails there can be taken again.
      setComing(false);
    }
  }
  return (
    <li className="flex items-center gap-3 border-t border-rule py-1.5">
      <Button
        tone={heard ? "play" : "plain"}
        aria-pressed={heard}
        aria-label={heard ? `Stop ${record.name}` : `Hear ${record.name}`}
        onClick={hear}
      >
        {heard ? "■" : "▶"}
      </Button>
      <span className="grow font-semibold">{record.name}</span>
      <span className="text-ink2 tabular-nums">{record.seconds.toFixed(1)} s</span>
      <Button
        tone="go"
        aria-disabled={coming}
        aria-label={coming ? `Coming ... ${record.name}` : `Take ${record.name}`}
        onClick={() => void take()}
      >
        {coming ? "Coming ..." : "Take"}
      </Button>
    </li>
  );
}
