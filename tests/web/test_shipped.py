"""Scripts, styles, fonts and icons: whole, of one version, and kept by a browser."""

from __future__ import annotations

import re
from pathlib import Path

import pytest

import velvet_seam
from tests.web.test_requests import PAGE
from velvet_seam.web.shipped import Shipped

STATIC = Path(velvet_seam.__file__).parent / "web" / "static"


def test_every_file_is_served_as_it_lies_there(client):
    page = client.get("/", headers=PAGE).text
    mark = re.search(r"/static/([0-9a-f]{10})/app\.css", page)[1]
    for path in (one for one in STATIC.rglob("*") if one.is_file()):
        name = path.relative_to(STATIC).as_posix()
        marked, bare = client.get(f"/static/{mark}/{name}"), client.get(f"/static/{name}")
        assert marked.content == bare.content == path.read_bytes()
        assert "immutable" in marked.headers["cache-control"]
        assert bare.headers["cache-control"] == "no-cache"
        assert not marked.headers["content-type"].startswith("application/octet"), name


def test_pages_name_nothing_without_its_mark_and_nothing_that_is_not_there(client):
    for path in ("/", "/footage", "/renders"):
        named = re.findall(r'"(/static/[^"#]+)', client.get(path, headers=PAGE).text)
        assert len(named) > 5
        for address in named:
            assert re.match(r"/static/[0-9a-f]{10}/", address), address
            assert client.head(address).status_code == 200, address


@pytest.mark.parametrize(
    "name", ["", "js", "none.js", "0123456789/app.css", "%2e%2e/app.py", "js//find.js"]
)
def test_what_is_not_shipped_is_not_there(client, name):
    assert client.get(f"/static/{name}").status_code == 404
    assert client.post("/static/app.css").status_code == 405


def test_the_mark_is_of_all_that_is_held(tmp_path: Path):
    (tmp_path / "js").mkdir()
    (tmp_path / "js" / "a.js").write_text("1")
    before = Shipped(tmp_path, "/s")
    assert Shipped(tmp_path, "/s").mark == before.mark
    (tmp_path / "js" / "b.js").write_text("2")
    more = Shipped(tmp_path, "/s")
    (tmp_path / "js" / "b.js").write_text("3")
    assert len({before.mark, more.mark, Shipped(tmp_path, "/s").mark}) == 3
    assert more.under("js") == [f"/s/{more.mark}/js/a.js", f"/s/{more.mark}/js/b.js"]


def test_what_browsers_ask_for_of_their_own_accord_is_the_icon(client):
    told = client.get("/favicon.ico")
    assert told.status_code == 200
    assert told.headers["content-type"].startswith("image/svg+xml")
