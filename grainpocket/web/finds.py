"""Finds: bringing files in, and the sound, picture and analysis of what is there."""

import uuid

from flask import Response, abort, request
from pydantic import BaseModel, Field

from grainpocket.core.document.sound import Sound
from grainpocket.core.params import of
from grainpocket.core.pocket import LONGEST_CHOP_S
from grainpocket.core.shape.voice import VoiceSpec
from grainpocket.core.sound.audio import planar
from grainpocket.core.sound.peaks import LEVELS, PEAK
from grainpocket.jobs.importing import clean_name
from grainpocket.web.answers import FOREVER, json_of, pcm_of
from grainpocket.web.full import DiskFull, is_full
from grainpocket.web.pockets import desk
from grainpocket.web.routes import routes
from grainpocket.web.schemas import (
    AudioPath,
    Job,
    JobList,
    PocketPath,
    Problem,
    StretchPath,
    job_reply,
)
from grainpocket.web.stretches import checked

api = routes("finds")
CHUNK, TILE = 65536, 4096


class ImportQuery(BaseModel):
    name: str = Field(default="Untitled", max_length=1000, description="The file's name")
    again: bool = Field(default=False, description="Also when the very same audio is among the finds already")


class JobPath(BaseModel):
    job: str


class ChunkPath(AudioPath):
    number: int = Field(ge=0)


class TilePath(AudioPath):
    level: int = Field(ge=0, lt=LEVELS)
    number: int = Field(ge=0)


@api.post("/pockets/<pocket>/imports", responses={202: Job, 404: Problem, 413: Problem, 507: Problem})
def import_audio(path: PocketPath, query: ImportQuery) -> Response:
    """Bring in a file: its bytes are the body. The answer is the job that turns it into a find."""
    desk().pockets.load(path.pocket)
    most = desk().settings.most_bytes
    too_big = f"The file is larger than {most / 1e6:,.0f} MB, the most that is taken. Cut it shorter and try again."
    if (request.content_length or 0) > most:
        abort(413, too_big)
    job_id = uuid.uuid4().hex
    uploads = desk().settings.uploads
    uploads.mkdir(parents=True, exist_ok=True)
    part, target = uploads / f"{job_id}.part", uploads / job_id
    try:
        with part.open("wb") as out:
            size = 0
            while piece := request.stream.read(1 << 20):
                size += len(piece)
                if size > most:
                    abort(413, too_big)
                out.write(piece)
        part.rename(target)
        title = clean_name(query.name, 120) or "Untitled"
        row = desk().jobs.create(path.pocket, "import", title, {"name": query.name, "again": query.again}, job_id)
    except Exception as error:
        # No job will ever take it.
        target.unlink(missing_ok=True)
        if is_full(error):
            raise DiskFull("The disk is full: the file was not taken. Free some space and try again.") from error
        raise
    finally:
        part.unlink(missing_ok=True)
    desk().enqueue(job_id)
    return json_of(job_reply(row), 202)


@api.get("/pockets/<pocket>/jobs", responses={200: JobList, 404: Problem})
def open_jobs(path: PocketPath) -> Response:
    desk().pockets.load(path.pocket)
    return json_of(JobList(jobs=[job_reply(row) for row in desk().jobs.of_pocket(path.pocket)]))


@api.get("/jobs/<job>", responses={200: Job, 404: Problem})
def get_job(path: JobPath) -> Response:
    row = desk().jobs.get(path.job)
    return json_of(job_reply(row)) if row else abort(404, "That job is not known.")


@api.post("/jobs/<job>/cancel", responses={200: Job, 404: Problem})
def cancel_job(path: JobPath) -> Response:
    row = desk().jobs.cancel(path.job)
    return json_of(job_reply(row)) if row else abort(404, "That job is not known.")


@api.get("/audio/<audio>/pcm/<int:number>", responses={404: Problem})
def audio_chunk(path: ChunkPath) -> Response:
    """65,536 frames of a source as planar stereo float32; the last chunk is shorter."""
    frames = desk().audio.frames(path.audio)
    start = path.number * CHUNK
    if start >= frames:
        abort(404, "The find is not that long.")
    return pcm_of(planar(desk().audio.read(path.audio, start, min(frames, start + CHUNK))))


@api.get("/audio/<audio>/peaks/<int:level>/<int:number>", responses={404: Problem})
def audio_peaks(path: TilePath) -> Response:
    """4,096 peaks of eight bytes: int16 minimum and maximum, uint8 low, middle and high band level, one unused."""
    file = desk().audio.peaks_path(path.audio, path.level)
    with file.open("rb") as handle:
        handle.seek(path.number * TILE * PEAK.itemsize)
        data = handle.read(TILE * PEAK.itemsize)
    response = Response(data, mimetype="application/octet-stream")
    response.headers["Cache-Control"] = FOREVER
    return response


class SliceQuery(BaseModel):
    level: float = of("source", "trim").field()


@api.get("/audio/<audio>/slice/<int:start>/<int:end>", responses={404: Problem, 422: Problem})
def audio_slice(path: StretchPath, query: SliceQuery) -> Response:
    """A stretch of a source as it would sound from a fresh pad: the very voice, fades and all."""
    checked(path, LONGEST_CHOP_S, f"That stretch is longer than the {LONGEST_CHOP_S} s a pad can hold.")
    return pcm_of(planar(desk().renderer.voice(VoiceSpec(path.audio, path.start, path.end, Sound(level=query.level)))))
