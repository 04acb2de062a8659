"""Only this machine's own pages may talk to the server.

It listens on 127.0.0.1, but any page in the browser can send requests there, and a hostile name can be pointed at it (DNS
rebinding). So the Host must be ours, and a request that names an Origin must name ours.
"""

from flask import Flask, Response, abort, request

_CSP = (
    "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data: blob:; font-src 'self'; "
    "connect-src 'self'; worker-src 'self' blob:; frame-ancestors 'none'; base-uri 'none'; form-action 'self'"
)


_ELSEWHERE = "Another site tried to use Grain Pocket; it was refused."


def our_hosts(ports: set[int]) -> set[str]:
    return {f"{name}:{port}" for port in ports for name in ("127.0.0.1", "localhost", "[::1]")}


def why_not(hosts: set[str], path: str, host: str, origin: str | None, site: str | None) -> str | None:
    """Why a request is refused, by its headers; None when it is ours."""
    if host not in hosts:
        return "This address is not one that Grain Pocket answers to. Open it as http://127.0.0.1."
    if origin is not None and origin.removeprefix("http://") not in hosts:
        return _ELSEWHERE
    if origin is None and site in ("cross-site", "same-site") and path != "/":
        return _ELSEWHERE
    return None


def guard(app: Flask, ports: set[int]) -> None:
    """ports: those the page may be served from (in development, the front end's own server too)."""
    hosts = our_hosts(ports)

    @app.before_request
    def _check() -> None:
        headers = request.headers
        refused = why_not(hosts, request.path, request.host, headers.get("Origin"), headers.get("Sec-Fetch-Site"))
        if refused:
            abort(403, refused)

    @app.after_request
    def _headers(response: Response) -> Response:
        response.headers.setdefault("Content-Security-Policy", _CSP)
        response.headers["X-Content-Type-Options"] = "nosniff"
        response.headers["Referrer-Policy"] = "no-referrer"
        response.headers["Cross-Origin-Resource-Policy"] = "same-origin"
        return response
