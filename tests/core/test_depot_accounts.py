"""Signing in with a browser: what is read so, what is not changed so, tokens, and forms from elsewhere."""

from __future__ import annotations

import re

import pytest
from argon2 import PasswordHasher
from selenium.webdriver.support.wait import WebDriverWait
from starlette.testclient import TestClient
from test_postings import FIELDS, rows

from brisk_atlas.core.depot.postings.depot_store import DepotStore
from brisk_atlas.core.depot.postings.outlet import Outlet, OutletField
from brisk_atlas.core.depot.postings.people import People
from brisk_atlas.core.depot.postings.rights import ALL_RIGHTS
from brisk_atlas.core.depot.serving import postings_application, running_postings
from browser import browser, needs_browser

PASSWORD = "long enough 1"


@pytest.fixture
def store(tmp_path):
    made = DepotStore(tmp_path / "depot", lambda file: People(file, PasswordHasher(1, 8, 1)))
    people = made.people
    people.join(people.invite(by="", owner=True), "olga", PASSWORD)
    people.join(people.invite(["team"], by="olga"), "ada", PASSWORD)
    posting = made.post("Gas stations", FIELDS, rows(), owner="olga", crs="EPSG:32727", geometry_type="Point")
    every = tuple(OutletField(each.name, each.name) for each in FIELDS)
    made.offer(Outlet("team", posting.id, "For the team", every, (("team", ALL_RIGHTS),)), by="olga")
    yield made
    made.close()


@pytest.fixture
def client(store):
    return TestClient(postings_application(store, "Tolvane Depot"), follow_redirects=False)


def sign_in(client, **headers):
    return client.post("/login", data={"name": "ada", "password": PASSWORD}, headers=headers)


def test_a_browser_that_signed_in_reads_and_changes_nothing(client, store):
    assert client.get("/pages/team").status_code == 404 and client.get("/account").headers["location"] == "login"
    answer = sign_in(client)
    cookie = answer.headers["set-cookie"]
    assert answer.status_code == 303 and "HttpOnly" in cookie and "SameSite=strict" in cookie and "Secure" not in cookie
    assert client.get("/pages/team").status_code == 200 and "ada" in client.get("/pages").text
    found = client.get("/collections/team/items").json()["features"][0]
    headers = {"If-Match": f'"{found["state"]}"', "Content-Type": "application/geo+json"}
    place = f"/collections/team/items/{found['id']}"
    for method in ("PATCH", "PUT", "DELETE"):
        assert (
            client.request(
                method, place, json={"type": "Feature", "properties": {"id": 9}}, headers=headers
            ).status_code
            == 403
        )
    assert client.post("/collections/team/items", json={"type": "Feature"}, headers=headers).status_code == 403
    assert store.rows("gas_stations").edits() == []
    mark = re.search(r'name="mark" value="(\w+)"', client.get("/account").text)[1]
    assert (
        client.post("/logout", data={"mark": mark}).status_code == 303 and client.get("/pages/team").status_code == 404
    )
    assert not store.database.reading.execute("SELECT 1 FROM session").fetchone()


@pytest.mark.parametrize(
    "headers",
    [{"Origin": "https://elsewhere.example"}, {"Sec-Fetch-Site": "cross-site"}, {"Origin": "null"}, {"Origin": "null", "Sec-Fetch-Site": "same-site"}, {"Content-Type": "application/json"}, {"Content-Type": "text/plain"}],
)  # fmt: skip
def test_forms_from_elsewhere_do_nothing(client, store, headers):
    assert sign_in(client, **headers).status_code in (403, 415) and not client.cookies
    sign_in(client)
    for place in ("/account", "/account/drop", "/logout"):
        for data in ({"x": "y"}, {"mark": "0" * 64, "label": "x", "days": "3"}):
            assert client.post(place, data=data).status_code == 403
    assert store.people.tokens("ada") == [] and client.get("/pages/team").status_code == 200
    assert client.post("/join/secret", data={"name": "eve", "password": PASSWORD}, headers=headers).status_code in (
        403,
        415,
    )


def test_wrong_passwords_are_refused_and_shut_the_account(client, store):
    for _ in range(5):
        answer = client.post("/login", data={"name": "ada", "password": "wrong"})
        assert (
            answer.status_code == 401
            and "www-authenticate" not in answer.headers
            and "set-cookie" not in answer.headers
        )
    assert "shut for a while" in sign_in(client).text
    assert PASSWORD not in str([vars(each) for each in store.people.audit()])


def test_a_token_is_made_shown_once_used_and_removed_in_a_real_browser(store):
    needs_browser()
    with running_postings(store, "Tolvane Depot") as address, browser() as page:
        page.get(address)
        page.find_element("link text", "Sign in").click()
        page.find_element("name", "name").send_keys("ada")
        page.find_element("name", "password").send_keys(PASSWORD)
        page.find_element("css selector", "button.main").click()
        page.find_element("link text", "For the team").click()
        assert "7 fields" in page.page_source
        page.find_element("link text", "ada").click()
        page.find_element("name", "label").send_keys("night run")
        page.find_element("css selector", "input[value=change]").click()
        page.find_element("css selector", "form.filter button").click()
        secret = page.find_element("css selector", "[role=alert] code").text
        who = store.people.by_token(secret)
        assert who.account == "ada" and {each.value for each in who.scope} == {"read", "change"}
        page.get(f"{address}/account")
        assert secret not in page.page_source and "night run" in page.page_source
        page.find_element("css selector", "td button").click()
        WebDriverWait(page, 60).until(lambda page: "night run" not in page.page_source)
        assert store.people.tokens("ada") == []
