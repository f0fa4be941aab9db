"""People who sign in at their office's provider: taken only where all that it answers is right."""

from __future__ import annotations

from urllib.parse import parse_qs, urlsplit

import httpx
import pytest
from argon2 import PasswordHasher

from brisk_atlas import cli
from brisk_atlas.core.depot import openid
from brisk_atlas.core.depot.openid import BegunLogin, OpenIdFault, OpenIdLogin, OpenIdProvider
from brisk_atlas.core.depot.openid_stand_in import CLIENT, SECRET, OpenIdStandIn
from brisk_atlas.core.depot.postings.depot_store import DepotStore
from brisk_atlas.core.depot.postings.people import People, WrongSecret
from brisk_atlas.core.depot.serving import free_port, postings_server, served

PASSWORD = "long enough 1"


@pytest.fixture
def provider():
    """A provider, and its address."""
    made = OpenIdStandIn()
    with served(made.server("127.0.0.1", free_port())) as address:
        yield made, address


@pytest.fixture
def depot(tmp_path, provider):
    """The store of a Depot that knows the provider, and its address."""
    store = DepotStore(tmp_path / "depot", lambda database: People(database, PasswordHasher(1, 8, 1)))
    known = OpenIdProvider(provider[1], CLIENT, SECRET, "the office")
    with served(postings_server(store, "Tolvane Depot", "127.0.0.1", free_port(), openid=known)) as address:
        yield store, address
    store.close()


def signed_in(browser, address, person, invitation=""):
    """Go through a login as a browser does; returns the last answer."""
    page = browser.get(
        f"{address}/login/openid", params={"invitation": invitation} if invitation else {}, follow_redirects=True
    )
    assert page.status_code == 200 and "Who are you?" in page.text
    return browser.get(f"{page.url}&person={person}", follow_redirects=True)


def test_an_invitation_is_taken_up_by_an_account_elsewhere_and_known_again(depot):
    store, address = depot
    invitation = store.people.invite(["team"], by="local")
    with httpx.Client() as browser:
        assert "account at the office" in browser.get(f"{address}/join/{invitation}").text
        assert "account at the office" in browser.get(f"{address}/login").text
        last = signed_in(browser, address, "ada", invitation)
        assert last.status_code == 200 and "You are ada" in last.text
        assert "ada" in browser.get(f"{address}/account").text
    assert store.people.identity("ada").circles == {"team"}
    with httpx.Client() as another:
        assert "You are ada" in signed_in(another, address, "ada").text
        refused = signed_in(another, address, "ben")
        assert refused.status_code == 403 and "ask for an invitation" in refused.text
        used = signed_in(another, address, "ben", invitation)
        assert used.status_code == 403 and "not known, or was used" in used.text
    for password in ("", "none", PASSWORD):
        with pytest.raises(WrongSecret):
            store.people.by_password("ada", password)


def test_a_name_that_somebody_has_already_gets_a_number(depot):
    store, address = depot
    store.people.join(store.people.invite(by="", owner=True), "ada", PASSWORD)
    with httpx.Client() as browser:
        assert "You are ada2" in signed_in(browser, address, "ada", store.people.invite([], by="ada")).text
    assert store.people.identity("ada").is_owner and not store.people.identity("ada2").is_owner
    assert store.people.join_by_openid(store.people.invite([], by="ada"), "x", "1", "<b> Ä/").account == "_b__Ä_"


@pytest.mark.parametrize("spoilt", ["nonce", "audience", "issuer", "expired", "signature", "unsigned", "silent"])
def test_what_a_provider_answers_wrongly_lets_nobody_in(depot, provider, spoilt):
    store, address = depot
    store.people.join_by_openid(store.people.invite([], by=""), provider[1], "person-ada", "ada")
    provider[0].spoilt = spoilt
    with httpx.Client() as browser:
        last = signed_in(browser, address, "ada")
        assert last.status_code == 401 and "Not signed in" in last.text
        assert "depot_session" not in browser.cookies
        provider[0].spoilt = ""
        provider[0].change_key()  # which is found by its name
        assert "You are ada" in signed_in(browser, address, "ada").text


def test_an_answer_that_was_not_asked_for_is_refused(depot, monkeypatch):
    _, address = depot
    with httpx.Client() as browser:
        page = browser.get(f"{address}/login/openid", follow_redirects=True)
        there = browser.get(f"{page.url}&person=ada")
        back = there.headers["location"]
        stated = {name: values[0] for name, values in parse_qs(urlsplit(back).query).items()}
        assert "another login" in browser.get(f"{address}/login/openid/back", params={**stated, "state": "x"}).text
        assert (
            "refused"
            in browser.get(f"{address}/login/openid/back", params={"state": stated["state"], "error": "denied"}).text
        )
        assert "not begun here" in httpx.get(back).text
        forged = {"depot_login": BegunLogin.new("").sealed(b"another key")}
        assert "not begun here" in httpx.get(back, cookies=forged).text
        with monkeypatch.context() as later:
            later.setattr(openid, "BEGUN_S", -1.0)
            assert "took too long" in browser.get(back).text
        assert browser.get(back).status_code == 403  # Ada has no account, but all else is right
        assert browser.get(back).status_code == 401  # and the code is used up


def test_a_provider_that_is_away_or_lies_about_itself_is_stated(depot, provider, tmp_path):
    login = OpenIdLogin(OpenIdProvider(f"http://127.0.0.1:{free_port()}", CLIENT, SECRET, "x"))
    with pytest.raises(OpenIdFault, match="can't be asked"):
        login.address(BegunLogin.new(""), "http://127.0.0.1/back")
    with pytest.raises(OpenIdFault, match="without TLS"):
        OpenIdLogin(OpenIdProvider("http://office.example", CLIENT, SECRET, "x")).address(
            BegunLogin.new(""), "http://a/b"
        )
    other = provider[1].replace("127.0.0.1", "localhost")
    made = OpenIdLogin(OpenIdProvider(f"{other}/", CLIENT, SECRET, "x"))
    with pytest.raises(OpenIdFault, match="another address"):
        made.address(BegunLogin.new(""), "http://a/b")
    for more in ([], ["--openid-client", "a"], ["--openid-client", "a", "--openid-secret", str(tmp_path / "none")]):
        assert cli.main(["depot", "serve", "--store", str(tmp_path / "d"), "--openid", other, *more]) == 1
