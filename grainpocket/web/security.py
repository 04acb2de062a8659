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
    if origin is not None and origin not in {f"http://{one}" for one in hosts}:
        return _ELSEWHERE
    if origin is None and site in ("cross-site", "same-site") and path != "/":
        return _ELSEWHERE
    return None


# What a page elsewhere can send without being asked first (Fetch standard, "simple" requests).
_SIMPLE_TYPES = ("", "text/plain", "multipart/form-data", "application/x-www-form-urlencoded")
_CHANGES = ("POST", "PUT", "PATCH", "DELETE")
OUR_HEADER = "X-Grain-Pocket"  # for programs that are no browser
MOST_JSON = 8_000_000  # bytes


def is_ours(method: str, origin: str | None, site: str | None, content_type: str, own_header: str | None) -> bool:
    """Whether a request that changes something shows that it comes from our own page, or from what no page can send."""
    if method not in _CHANGES or origin is not None or site == "same-origin" or own_header is not None:
        return True
    return content_type.split(";", maxsplit=1)[0].strip().lower() not in _SIMPLE_TYPES


def guard(app: Flask, ports: set[int]) -> None:
    """ports: those the page may be served from (in development, the front end's own server too)."""
    hosts = our_hosts(ports)

    @app.before_request
    def _check() -> None:
        headers = request.headers
        refused = why_not(hosts, request.path, request.host, headers.get("Origin"), headers.get("Sec-Fetch-Site"))
        if refused:
            abort(403, refused)
        kind = headers.get("Content-Type", "")
        if not is_ours(request.method, headers.get("Origin"), headers.get("Sec-Fetch-Site"), kind, headers.get(OUR_HEADER)):
            abort(403, _ELSEWHERE)
        if "json" in kind and (request.content_length or 0) > MOST_JSON:
            abort(413, f"That is more than {MOST_JSON // 1_000_000} MB at once. Do it in several steps.")

    @app.after_request
    def _headers(response: Response) -> Response:
        response.headers.setdefault("Content-Security-Policy", _CSP)
        response.headers["X-Content-Type-Options"] = "nosniff"
        response.headers["Referrer-Policy"] = "no-referrer"
        response.headers["Cross-Origin-Resource-Policy"] = "same-origin"
        return response
