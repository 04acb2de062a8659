"""Only this machine's own pages may talk to the server.

It listens on 127.0.0.1, but any page in the browser can send requests there, and a hostile name can be pointed at it (DNS
rebinding). So the Host must be ours, and a request that names an Origin must name ours.
"""

from flask import Flask, Response, abort, request

_CSP = (
    "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data: blob:; font-src 'self'; "
    "connect-src 'self'; worker-src 'self' blob:; frame-ancestors 'none'; base-uri 'none'; form-action 'self'"
)


def guard(app: Flask, ports: set[int]) -> None:
    """ports: those the page may be served from (in development, the front end's own server too)."""
    hosts = {f"{name}:{port}" for port in ports for name in ("127.0.0.1", "localhost", "[::1]")}

    @app.before_request
    def _check() -> None:
        if request.host not in hosts:
            abort(403, "This address is not one that Grain Pocket answers to. Open it as http://127.0.0.1.")
        origin = request.headers.get("Origin")
        if origin is not None and origin.removeprefix("http://") not in hosts:
            abort(403, "Another site tried to use Grain Pocket; it was refused.")
        if origin is None and request.headers.get("Sec-Fetch-Site") in ("cross-site", "same-site") and request.path != "/":
            abort(403, "Another site tried to use Grain Pocket; it was refused.")

    @app.after_request
    def _headers(response: Response) -> Response:
        response.headers.setdefault("Content-Security-Policy", _CSP)
        response.headers["X-Content-Type-Options"] = "nosniff"
        response.headers["Referrer-Policy"] = "no-referrer"
        response.headers["Cross-Origin-Resource-Policy"] = "same-origin"
        return response
