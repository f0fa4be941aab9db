"""The interface of the outlets against its own description: whatever is asked is answered as it says, by every role."""

from __future__ import annotations

import random

import pytest
import schemathesis
from argon2 import PasswordHasher
from hypothesis import HealthCheck, Phase, given, settings
from schemathesis.checks import not_a_server_error
from schemathesis.specs.openapi.checks import (
    content_type_conformance,
    response_headers_conformance,
    response_schema_conformance,
    status_code_conformance,
)
from test_postings import FIELDS, rows

from brisk_atlas.core.depot.postings.depot_store import DepotStore
from brisk_atlas.core.depot.postings.outlet import Outlet, OutletField
from brisk_atlas.core.depot.postings.people import People
from brisk_atlas.core.depot.postings.rights import ALL_RIGHTS, EVERYBODY, Right
from brisk_atlas.core.depot.serving import postings_application

PASSWORD = "long enough 1"
ROLES = (None, ("ada", PASSWORD), ("olga", PASSWORD))
CHECKS = [not_a_server_error, status_code_conformance, content_type_conformance, response_schema_conformance,
          response_headers_conformance]  # fmt: skip


@pytest.fixture(scope="module")
def store(tmp_path_factory):
    made = DepotStore(tmp_path_factory.mktemp("depot"), lambda database: People(database, PasswordHasher(1, 8, 1)))
    made.people.join(made.people.invite(by="", owner=True), "olga", PASSWORD)
    made.people.join(made.people.invite(["team"], by=""), "ada", PASSWORD)
    posting = made.post("Gas stations", FIELDS, rows(), owner="olga", crs="EPSG:32727", geometry_type="Point")
    every = tuple(OutletField(each.name, each.name) for each in FIELDS)
    rights = (("team", ALL_RIGHTS), (EVERYBODY, frozenset({Right.READ})))
    made.offer(Outlet("it", posting.id, "It", every, rights), by="olga")
    yield made
    made.close()


def test_every_answer_is_as_described(store):
    described = schemathesis.openapi.from_asgi("/api", postings_application(store, "Tolvane Depot"))
    operations = [each.ok() for each in described.get_all_operations()]
    assert len(operations) > 15
    for operation in operations:

        @settings(
            max_examples=40,
            derandomize=True,
            phases=(Phase.explicit, Phase.generate),
            suppress_health_check=list(HealthCheck),
        )
        @given(case=operation.as_strategy())
        def ask(case):
            chance = random.Random(f"{case.query} {case.body} {case.path_parameters}")
            aimed(case, chance, store)
            case.call_and_validate(checks=CHECKS, auth=chance.choice(ROLES))

        ask()


def aimed(case, chance, store):
    """Have most questions be about rows that there are, and most changes of the state in which they are."""
    if "id" in case.path_parameters and chance.random() < 0.9:
        case.path_parameters["id"] = "it"
    stored = [row.name for row in store.rows("gas_stations").all_rows()]
    if "row" in case.path_parameters and stored and chance.random() < 0.8:
        case.path_parameters["row"] = row = chance.choice(stored)
        shown = store.rows_shown(store.outlet("it"), store.posting("gas_stations")).row(row)
        if case.method in ("PUT", "PATCH", "DELETE") and chance.random() < 0.7:
            case.headers["If-Match"] = f'"{shown.state}"'
