"""What a look says in its first lines, by what the answers leave open."""

import pytest

from brood.core.diagnosis.evidence import Verdict
from brood.services.diagnosis.suspects import SURE_GROUP, Suspect, headline


def suspect(name, chance, *, harmless=False):
    return Suspect(
        name.lower(), name, harmless, chance, f"{chance:.0%}", (), (), (), "It is", "", "", ""
    )


def said(suspects, *, unknown=0.05, conflict=False, present=(), answered=3, group=("Mites", 0.4)):
    chances = {s.id: s.chance for s in suspects}
    verdict = Verdict(chances, unknown, tuple(s.id for s in present), conflict, (), None, None)
    return headline(verdict, present, suspects, answered, group)


MITE, THRIPS, SCALE = suspect("Mite", 0.6), suspect("Thrips", 0.5), suspect("Scale", 0.02)


def test_nothing_looked_at_and_answers_that_contradict_each_other_are_undecided():
    assert said((MITE,), answered=0)[0] == "Nothing looked at yet."
    first, then = said((MITE,), conflict=True, present=(MITE,))
    assert "contradict each other" in first
    assert "Check again" in then


def test_what_is_there_is_named_and_what_is_harmless_is_no_case():
    assert said((MITE,), present=(MITE,)) == (
        "Mite, 60%.",
        "Say roughly how many you see, and the plan is made.",
    )
    lacewing = suspect("Lacewing", 0.9, harmless=True)
    assert "Some of what you found is harmless" in said((MITE,), present=(MITE, lacewing))[1]
    assert said((lacewing,), present=(lacewing,))[0] == "It is: Lacewing, 90%."


def test_what_fits_nothing_is_shown_to_somebody_who_knows():
    assert said((SCALE,), unknown=0.02)[0] == "Undecided: this fits nothing that Brood knows."
    assert said((SCALE,), unknown=0.01)[0] == "Undecided so far."


def test_a_sure_group_is_named_before_its_likeliest_kind():
    first, then = said((MITE, THRIPS), group=("Mites", SURE_GROUP))
    assert first.startswith("Mites, ")
    assert first.endswith("Which kind is not known yet.")
    assert then == "Most likely it is Mite, 60%."


@pytest.mark.parametrize(
    ("suspects", "words"),
    [
        ((MITE, THRIPS, SCALE), "It could be Mite or Thrips."),
        ((MITE, SCALE), "Most likely it is Mite, 60%."),
    ],
)
def test_what_is_open_is_listed(suspects, words):
    assert said(suspects) == ("Undecided so far.", f"{words} The check below would tell most.")
