"""A folder of files as plain web servers list it: a page of links, files with ranges."""

from __future__ import annotations

from datetime import UTC, datetime
from html import escape
from pathlib import Path
from urllib.parse import quote

from starlette.requests import Request
from starlette.responses import FileResponse, HTMLResponse, PlainTextResponse, Response
from starlette.routing import Route


class FolderAnswers:
    """Answers for what lies below a folder of the disk; hidden files, and what links lead to outside, are not there."""

    def __init__(self, folder: Path | None) -> None:
        self.folder = folder.resolve() if folder is not None else None

    def routes(self) -> list[Route]:
        if self.folder is None:
            return []
        return [
            Route("/files", self.answer, methods=["GET", "HEAD"]),
            Route("/files/{path:path}", self.answer, methods=["GET", "HEAD"]),
        ]

    def answer(self, request: Request) -> Response:
        assert self.folder is not None
        asked = request.path_params.get("path", "")
        if any(piece.startswith(".") for piece in asked.split("/") if piece):
            return PlainTextResponse("not there", 404)
        path = (self.folder / asked).resolve()
        if not path.is_relative_to(self.folder) or not path.exists():
            return PlainTextResponse("not there", 404)
        if path.is_dir():
            return self._page(path, asked)
        return FileResponse(path)

    def _page(self, folder: Path, asked: str) -> Response:
        rows = []
        for each in sorted(folder.iterdir(), key=lambda path: (not path.is_dir(), path.name.lower())):
            if each.name.startswith("."):
                continue
            stat, mark = each.stat(), "/" if each.is_dir() else ""
            when = datetime.fromtimestamp(stat.st_mtime, UTC).strftime("%Y-%m-%d %H:%M")
            size = "-" if mark else str(stat.st_size)
            here = f"/files/{asked.strip('/')}/".replace("//", "/")
            link = f'<a href="{escape(here + quote(each.name) + mark)}">{escape(each.name)}{mark}</a>'
            rows.append(f"<tr><td>{link}</td><td>{when}</td><td>{size}</td></tr>")
        title = f"Index of /{escape(asked)}"
        return HTMLResponse(
            f"<!DOCTYPE html><html><head><title>{title}</title></head><body><h1>{title}</h1>"
            f"<table>{''.join(rows)}</table></body></html>"
        )
