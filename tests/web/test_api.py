"""The whole API against its own OpenAPI description, with requests nobody would send."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Any

import pytest
import schemathesis
from fastapi.testclient import TestClient
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from schemathesis.checks import not_a_server_error
from schemathesis.specs.openapi.checks import (
    content_type_conformance,
    response_schema_conformance,
    status_code_conformance,
)

from velvet_seam.core.shot.layer import Layer, Place, Span
from velvet_seam.core.shot.shot import Canvas, Shot
from velvet_seam.core.sources import ColourSource
from velvet_seam.store.tables import database
from velvet_seam.web.app import create_app


@pytest.fixture(scope="module")
def api(tmp_path_factory: pytest.TempPathFactory) -> Iterator[tuple[Any, Callable[[], str]]]:
    app = create_app(tmp_path_factory.mktemp("api") / "studio")
    with TestClient(app, base_url="http://localhost"):  # runs the application's start and end
        layer = Layer(id="l-a", name="Red", source=ColourSource(colour="#ff0000"),
                      span=Span(first=0, last=9), place=Place(x=32, y=32))  # fmt: skip
        shot = Shot(name="A", canvas=Canvas(width=64, height=64), rate="25", length=10,
                    layers=(layer,))  # fmt: skip
        library = app.state.context.library
        own = {"headers": {"host": "localhost"}}
        schema = schemathesis.openapi.from_asgi("/openapi.json", app, **own)
        yield schema, lambda: library.shots.add(shot)
    database.close()


CHECKS = [not_a_server_error, status_code_conformance, content_type_conformance,
          response_schema_conformance]  # fmt: skip


def test_no_request_breaks_it_and_every_answer_is_as_described(api):
    schema, add_shot = api
    identity, tried = "", 0
    for found in schema.get_all_operations():
        operation = found.ok()
        identity = add_shot()

        @settings(max_examples=6, deadline=None, suppress_health_check=list(HealthCheck),
                  derandomize=True, database=None)  # fmt: skip
        @given(case=operation.as_strategy(), real=st.booleans())
        def try_it(case, real):
            nonlocal identity
            if real and "/shots/{identity}" in case.operation.path:
                if case.operation.method.lower() == "delete":
                    identity = add_shot()
                case.path_parameters["identity"] = identity
            case.headers = {**(case.headers or {}), "host": "127.0.0.1"}
            # a busy machine is slow
            case.validate_response(case.call(timeout=120), checks=CHECKS)

        try_it()
        tried += 1
    assert tried >= 30
