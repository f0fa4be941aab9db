"""A small web server for one folder that answers requests for a range of bytes."""

from __future__ import annotations

import subprocess
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from functools import partial
from http.server import SimpleHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path


class _Handler(SimpleHTTPRequestHandler):
    def do_GET(self) -> None:
        wanted = self.headers.get("Range", "")
        path = Path(self.translate_path(self.path))
        if not wanted.startswith("bytes=") or not path.is_file():
            super().do_GET()
            return
        first, _, last = wanted[6:].partition("-")
        size = path.stat().st_size
        start, end = int(first), min(int(last or size - 1), size - 1)
        self.send_response(206)
        self.send_header("Content-Range", f"bytes {start}-{end}/{size}")
        self.send_header("Content-Length", str(end - start + 1))
        self.send_header("Accept-Ranges", "bytes")
        self.end_headers()
        with path.open("rb") as file:
            file.seek(start)
            self.wfile.write(file.read(end - start + 1))

    def log_message(self, *args: object) -> None:
        pass


@contextmanager
def serving(folder: Path) -> Iterator[str]:
    """Serve a folder on this machine from a process of its own, as readers may hold the lock of this
    one while they wait; yields its address."""
    command = [sys.executable, __file__, str(folder)]
    with subprocess.Popen(command, stdout=subprocess.PIPE, text=True) as server:
        assert server.stdout is not None
        try:
            yield server.stdout.readline().strip()
        finally:
            server.kill()


if __name__ == "__main__":
    with ThreadingHTTPServer(("127.0.0.1", 0), partial(_Handler, directory=sys.argv[1])) as here:
        print(f"http://127.0.0.1:{here.server_address[1]}", flush=True)
        here.serve_forever()
