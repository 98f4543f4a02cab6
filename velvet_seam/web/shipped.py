"""What ships with the pages: scripts, styles, fonts and icons, read once and kept.

Their addresses begin with a mark of all that they hold. So a browser may keep each of them for good, and a page
never runs scripts of two versions. Without the mark they are found, too, but not kept.
"""

from __future__ import annotations

import hashlib
from pathlib import Path

from starlette.exceptions import HTTPException
from starlette.responses import Response
from starlette.types import Receive, Scope, Send

TYPES = {
    ".js": "text/javascript", ".css": "text/css", ".svg": "image/svg+xml", ".woff2": "font/woff2",
    ".txt": "text/plain",
}  # fmt: skip
"""Said here, for machines differ in what they call a script."""

FOREVER = "public, max-age=31536000, immutable"


class Shipped:
    """ASGI application over the files of one folder.

    >>> from velvet_seam.web.context import shipped
    >>> shipped.address("app.css") == f"/static/{shipped.mark}/app.css"
    True
    """

    def __init__(self, folder: Path, at: str) -> None:
        paths = sorted(path for path in folder.rglob("*") if path.is_file())
        self._files = {path.relative_to(folder).as_posix(): path.read_bytes() for path in paths}
        whole = hashlib.sha256()
        for name, held in self._files.items():
            whole.update(f"{name} {len(held)} ".encode() + held)
        self.at, self.mark = at, whole.hexdigest()[:10]

    def address(self, name: str) -> str:
        """Where a file is asked for, to be kept."""
        return f"{self.at}/{self.mark}/{name}"

    def under(self, room: str) -> list[str]:
        """Addresses of all scripts in a folder and in those inside it."""
        return [self.address(n) for n in self._files if n.startswith(room) and n.endswith(".js")]

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            raise HTTPException(404)
        if scope["method"] not in ("GET", "HEAD"):
            raise HTTPException(405)
        path = scope["path"].removeprefix(scope.get("root_path", "")).lstrip("/")
        name = path.removeprefix(f"{self.mark}/")
        held = self._files.get(name)
        if held is None:
            raise HTTPException(404)
        kind = TYPES.get(Path(name).suffix, "application/octet-stream")
        headers = {"cache-control": FOREVER if name != path else "no-cache"}
        await Response(held, media_type=kind, headers=headers)(scope, receive, send)
