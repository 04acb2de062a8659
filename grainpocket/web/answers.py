"""Shapes of answers that several blueprints give."""

import numpy as np
from flask import Response
from pydantic import BaseModel

from grainpocket.core.sound.audio import Samples, stereo

FOREVER = "private, max-age=31536000, immutable"


def json_of(model: BaseModel, status: int = 200) -> Response:
    response = Response(model.model_dump_json(), status, mimetype="application/json")
    response.headers["Cache-Control"] = "no-store"
    return response


def pcm_of(samples: Samples) -> Response:
    """Stereo float32 PCM, little-endian, all of the left channel and then all of the right: the browser lays it into its
    buffers as it is. Named by content or key, so it can be kept for ever."""
    planar = np.ascontiguousarray(stereo(samples).T, dtype="<f4")
    response = Response(planar.tobytes(), mimetype="application/octet-stream")
    response.headers["Cache-Control"] = FOREVER
    return response
