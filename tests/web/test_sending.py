"""Every form is taken once, nothing is overwritten unseen, and nothing typed is lost."""

import re
import sqlite3
import threading
from html import unescape

import pytest
from conftest import NOW
from serving import Site
from sqlalchemy.exc import OperationalError

from brood.store.queries import cases
from brood.store.session import Store
from brood.web.stated import of_form

OURS = {"Sec-Fetch-Site": "same-origin"}


def fields(client, url, which=0):
    """The fields of a form of a page as a browser would send them."""
    page = client.get(url).data.decode()
    form = re.findall(r'<form method="post"(?! action="/theme")[^>]*>.*?</form>', page, re.S)[which]
    hidden = re.findall(r'<input type="hidden" name="([^"]+)" value="([^"]*)"', form)
    return {k: unescape(v) for k, v in hidden} | of_form(form, NOW.date()).values


def names(app):
    with app.extensions["household"].store.reading() as session:
        return [p.name for p in cases.plants(session)]


def test_a_form_sent_twice_is_one_record_and_both_lead_to_the_same_page(demo_client):
    form = fields(demo_client, "/plants/new") | {"name": "Second fern", "place": "1"}
    first, again = (demo_client.post("/plants/new", data=form, headers=OURS) for _ in range(2))
    assert (first.status_code, again.status_code) == (303, 303)
    assert first.headers["Location"] == again.headers["Location"]
    assert names(demo_client.application).count("Second fern") == 1
    other = demo_client.post("/plants/new", data={**form, "name": "Third fern"}, headers=OURS)
    assert other.headers["Location"] != first.headers["Location"], "typed otherwise it is another"


def test_a_form_with_a_fault_can_be_sent_again_once_it_is_mended(demo_client):
    form = fields(demo_client, "/plants/new") | {"name": "", "place": "1"}
    assert demo_client.post("/plants/new", data=form, headers=OURS).status_code == 422
    assert (
        demo_client.post("/plants/new", data={**form, "name": "Mended"}, headers=OURS).status_code
        == 303
    )
    assert names(demo_client.application).count("Mended") == 1


@pytest.mark.parametrize(
    ("url", "field", "ours", "theirs"),
    [
        ("/plants/1/edit", "name", "Egg plant", "Melanzane"),
        ("/places/1/edit", "name", "My balcony", "Their balcony"),
        ("/cases/1/course", "reach", "80", "70"),
    ],
)
def test_a_second_tab_is_told_and_keeps_what_was_typed(demo_client, url, field, ours, theirs):
    mine, hers = fields(demo_client, url), fields(demo_client, url)
    assert demo_client.post(url, data={**hers, field: theirs}, headers=OURS).status_code == 303
    told = demo_client.post(url, data={**mine, field: ours}, headers=OURS)
    page = told.data.decode()
    assert told.status_code == 409
    assert theirs in page
    assert ours in page
    assert fields(demo_client, url)[field] == theirs, "nothing was overwritten"
    again = dict(re.findall(r'<input type="hidden" name="([^"]+)" value="([^"]*)"', page))
    assert again[field] == ours
    again = {k: unescape(v) for k, v in again.items() if k not in ("back", "theme")}
    assert demo_client.post(url, data=again, headers=OURS).status_code == 303
    assert fields(demo_client, url)[field] == ours


def test_a_bottle_that_was_replaced_meanwhile_shows_what_was_typed(demo_client):
    mine, hers = fields(demo_client, "/shelf/1"), fields(demo_client, "/shelf/1")
    hers["name"] = "hers"
    assert demo_client.post("/shelf/1", data=hers, headers=OURS).status_code == 303
    told = demo_client.post("/shelf/1", data={**mine, "name": "my bottle"}, headers=OURS)
    assert told.status_code == 409
    assert "my bottle" in told.data.decode()
    assert "no longer there" in told.get_data(as_text=True)


@pytest.mark.long
def test_an_edit_of_what_nobody_changed_goes_through_also_the_next_day(demo_client, clock):
    form = fields(demo_client, "/plants/1/edit")
    clock.now = NOW.replace(day=NOW.day + 1)
    assert (
        demo_client.post(
            "/plants/1/edit", data={**form, "name": "Egg plant"}, headers=OURS
        ).status_code
        == 303
    )


@pytest.mark.parametrize(
    ("why", "status", "says"),
    [
        ("database is locked", 503, "is writing into this household"),
        ("database or disk is full", 507, "The disk is full"),
        ("attempt to write a readonly database", 500, "cannot be written"),
    ],
)
def test_when_nothing_can_be_kept_what_was_typed_can_be_sent_again(
    demo_client, monkeypatch, why, status, says
):
    form = fields(demo_client, "/plants/new") | {"name": "Kept fern", "place": "1"}

    def fails(self):
        raise OperationalError("insert", {}, sqlite3.OperationalError(why))

    with monkeypatch.context() as patched:
        patched.setattr(Store, "writing", fails)
        answer = demo_client.post("/plants/new", data=form, headers=OURS)
    page = answer.data.decode()
    assert answer.status_code == status
    assert says in page
    assert 'name="name" value="Kept fern"' in page
    assert "Send it again" in page


@pytest.mark.long
def test_thirty_two_edits_at_once_by_two_servers_lose_nothing(demo_household, tmp_path):
    """Eight keepers, four finds each, half of them at each of two servers."""
    import shutil
    from urllib import parse, request

    folder = tmp_path / "two"
    folder.mkdir()
    shutil.copy(demo_household, folder / "household.sqlite")
    sites = [Site(folder), Site(folder)]
    for site in sites:
        site.app.extensions["household"].planning.start()
    answers = []

    def work(n):
        for k in range(4):
            body = parse.urlencode(
                {
                    "stage": "adult",
                    "number": str(1 + n),
                    "found_on": NOW.date().isoformat(),
                    "where": f"leaf {n}-{k}",
                    "form_key": f"{n}-{k}",
                }
            ).encode()
            url = f"{sites[n % 2].address}/cases/{1 + n % 4}/finds"
            for _ in range(2):
                asked = request.Request(url, body, {"Sec-Fetch-Site": "same-origin"})
                with request.urlopen(asked) as answer:
                    answers.append(answer.status)

    keepers = [threading.Thread(target=work, args=(n,)) for n in range(8)]
    for keeper in keepers:
        keeper.start()
    for keeper in keepers:
        keeper.join()
    with sites[0].app.extensions["household"].store.reading() as session:
        found = [f.location for c in cases.every(session) for f in c.findings]
    for site in sites:
        site.app.extensions["household"].planning.stop()
        site.stop()
    assert answers == [200] * 64, "also the second tap of each"
    assert sorted(f for f in found if f.startswith("leaf ")) == sorted(
        f"leaf {n}-{k}" for n in range(8) for k in range(4)
    )
