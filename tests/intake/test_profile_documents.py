"""Any feed as a document is the same feed again, whatever is said of it."""

from __future__ import annotations

import json

from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from nomotax.intake.describing import without_secrets
from nomotax.intake.model import parse_source
from tests.api.test_path import send

NAMES = st.text(st.characters(categories=["L", "Nd"]), min_size=1, max_size=20)
FIELDS = ("cost", "price", "stock", "name", "brand")

listed = {"names": st.sampled_from(["*", "*.csv", "liste-{YYYY-MM-DD}.csv"]),
          "take": st.sampled_from(["newest", "together", "each"]),
          "days_back": st.integers(0, 60),
          "zone": st.sampled_from(["UTC", "Europe/Oslo", "Asia/Kolkata"])}  # fmt: skip


def kind(name, **more):
    return st.fixed_dictionaries({"kind": st.just(name), **listed, **more})


sources = st.one_of(
    st.none(),
    kind("folder", folder=st.just("/srv/lister")),
    kind("ftp", host=st.just("ftp.voks.example"), port=st.integers(1, 65535), user=NAMES,
         protection=st.sampled_from(["tls", "starttls", "none"])),
    kind("sftp", host=st.just("ssh.voks.example"), user=NAMES),
    kind("bucket", bucket=st.just("lister"), user=NAMES, folder=NAMES),
    kind("mail", host=st.just("post.voks.example"), user=NAMES,
         senders=st.just(["lister@voks.example"])),
    st.fixed_dictionaries({
        "kind": st.just("web"), "addresses": st.just(["https://voks.example/a.csv"]),
        "sign_in": st.sampled_from(["none", "basic", "bearer"]), "user": NAMES,
        "headers": st.lists(st.fixed_dictionaries({"name": st.just("X-Shop"), "value": NAMES}),
                            max_size=2)}),
)  # fmt: skip

scopes = st.lists(
    st.fixed_dictionaries(
        {"name": NAMES, "fields": st.lists(st.sampled_from(FIELDS), min_size=1, unique=True)}
    ),
    max_size=3,
    unique_by=lambda one: one["name"].casefold(),
)

contracts = st.one_of(
    st.none(),
    st.fixed_dictionaries({
        "title": NAMES,
        "fields": st.lists(
            st.fixed_dictionaries(
                {"name": NAMES, "type": st.sampled_from(["any", "number", "integer", "date"])},
                optional={"optional": st.booleans(), "description": NAMES,
                          "constraints": st.fixed_dictionaries({"required": st.booleans()})},
            ),
            min_size=1, max_size=4, unique_by=lambda one: one["name"]),
    }),
)  # fmt: skip


@st.composite
def documents(draw):
    """A profile as somebody may have saved it."""
    own = draw(scopes)
    named = [""] + [one["name"] for one in own]
    schedule = st.fixed_dictionaries(
        {
            "expression": st.sampled_from(["0 2 * * *", "*/15 6-20 * * 1-5", "30 4 1 * *"]),
            "zone": st.sampled_from(["UTC", "Europe/Oslo"]),
            "scope": st.sampled_from(named),
            "paused": st.booleans(),
        }
    )
    return {
        "format": "nomotax-feed-profile", "version": 1, "supplier": "Voks og Veke",
        "source": draw(sources), "scopes": own,
        "schedules": draw(st.lists(schedule, max_size=3)),
        "may": draw(st.sampled_from(["wait", "clean", "rest"])), "contract": draw(contracts),
        "guards": [{"kind": "rows_fewer", "on": draw(st.booleans()), "limit": "25"}],
    }  # fmt: skip


_MADE = iter(range(10_000))


@settings(max_examples=25, deadline=None,
          suppress_health_check=[HealthCheck.function_scoped_fixture])  # fmt: skip
@given(document=documents())
def test_out_and_in_and_out_again_is_the_same(client, document):
    """But for its name, and for schedules, which stay paused."""

    def made(told):
        told = told | {"name": f"Liste {next(_MADE)}"}
        feed = send(client, "post", "/stores/1/feeds/from-profile", told, 201)["id"]
        found = client.get(f"/api/v1/feeds/{feed}/profile.json").json
        assert found.pop("name") == told["name"]
        return found

    first = made(document)
    assert made(first) == first
    assert first.get("may", "wait") == document["may"]
    assert first.get("scopes", []) == document["scopes"]
    paused = [one | {"paused": True} for one in document["schedules"]]
    assert [_plain(one) for one in first.get("schedules", [])] == [_plain(one) for one in paused]
    source, told = document["source"], first.get("source")
    assert (source is None) == (told is None)
    if source is not None:
        # What may let somebody in is masked.
        shown = without_secrets(parse_source(source)).model_dump(mode="json")
        whole = {"zone": "UTC", "days_back": 0} | shown
        assert (
            json.loads(json.dumps(told)).items()
            >= {k: v for k, v in whole.items() if k in told}.items()
        )
    rows = next(one for one in first["guards"] if one["kind"] == "rows_fewer")
    assert rows["on"] == document["guards"][0]["on"]


def _plain(one):
    """What a schedule says, also where it is what is usual."""
    return {"zone": "UTC", "scope": "", "paused": False} | one
