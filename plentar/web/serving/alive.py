"""Liveness from the server's master: answered on a loopback port of its own, however busy the workers are."""

import json
import sys
import threading
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import Any

__all__ = ["answer_health"]


def answer_health(port: int, server: Any) -> None:
    """Answer `GET /healthz` on a loopback port with how many workers the master has; port 0 is none.

    A port in use is told and left: the application serves without.
    """
    if not port:
        return

    class Answer(BaseHTTPRequestHandler):
        def do_GET(self) -> None:
            is_known = self.path == "/healthz"
            workers = len(server.WORKERS)
            body = json.dumps({"alive": bool(workers), "workers": workers} if is_known else {}).encode()
            self.send_response((200 if workers else 503) if is_known else 404)
            self.send_header("Content-Type", "application/json")
            self.send_header("Content-Length", str(len(body)))
            self.end_headers()
            self.wfile.write(body)

        def log_message(self, *_: object) -> None:
            """Say nothing: whoever watches asks every few seconds."""

    try:
        listener = ThreadingHTTPServer(("127.0.0.1", port), Answer)
    except OSError as error:
        sys.stderr.write(f"PLENTAR_HEALTH_PORT: cannot answer on port {port}: {error.strerror}\n")
        return
    threading.Thread(target=listener.serve_forever, daemon=True, name="health").start()
