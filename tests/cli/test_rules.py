"""`rules` by the installed command: a look first, then a save that changes nothing else."""

import pytest

from jovial_atlas.sitefile import read_site_file
from tests.conftest import run_command

TAGS = """
# Tags are looked at every spring.
[[rule]]
match = "/tags/*/"   # each of them
when = "entries = 0"
set = { listed = false }
reason = "Empty tags wait"
"""


def rules(cwd, *arguments):
    return run_command("rules", *arguments, "--format", "json", cwd=cwd)


def test_a_change_is_shown_first_and_saved_only_when_asked(marrowfen):
    file = marrowfen / "atlas.toml"
    with file.open("a") as stream:
        stream.write(TAGS)
    before = file.read_bytes()
    add = ("add", "--match", "/species/**", "--match", "/shop/**", "--set", "listed=no",
           "--set", "priority=0.2", "--set", "max_snippet=50", "--reason", "Not yet")  # fmt: skip
    shown = rules(marrowfen, *add)
    assert (shown.json["saved"], file.read_bytes()) == (False, before)
    turns = {(turn["field"], turn["before"], turn["after"]): turn for turn in shown.json["turns"]}
    assert turns[("listed", True, False)]["count"] == 14
    assert len(turns[("priority", None, 0.2)]["examples"]) == 5
    assert "Nothing was saved" in run_command("rules", *add, cwd=marrowfen).out
    saved = rules(marrowfen, *add, "--yes")
    assert (saved.json["turns"], saved.json["saved"]) == (shown.json["turns"], True)
    there = rules(marrowfen, "list").json["rules"]
    assert (there[-1]["match"], there[-1]["set"], there[-1]["reason"]) == (
        ["/species/**", "/shop/**"], "listed = false, priority = 0.2, max_snippet = 50", "Not yet",
    )  # fmt: skip
    number = str(there[-1]["number"])
    kept = rules(marrowfen, "change", number, "--set", "listed=yes", "--reason", "", "--yes")
    assert {turn["field"] for turn in kept.json["turns"]} == {"listed", "priority", "max_snippet"}
    assert rules(marrowfen, "list").json["rules"][-1]["set"] == "listed = true"
    rules(marrowfen, "move", number, "1", "--yes")
    assert rules(marrowfen, "list").json["rules"][0]["match"] == ["/species/**", "/shop/**"]
    rules(marrowfen, "remove", "1", "--yes")
    assert sorted(file.read_bytes().split()) == sorted(before.split()), "comments stay"
    assert read_site_file(file).model.rule[0].reason == "Empty tags wait"


@pytest.mark.parametrize(
    ("arguments", "said"),
    [
        (("remove", "9"), "There is no rule 9"),
        (("add", "--set", "listed=no"), "it selects no pages"),
        (("add", "--match", "/a", "--set", "lsted=no"), "Did you mean 'listed'"),
        (("add", "--match", "/a", "--set", "unavailable_after=soon"), "is no date"),
        (("add", "--match", "/a", "--when", "wrds > 1", "--set", "index=no"), "wrds"),
        (("change", "1"), "Nothing to change"),
        (("add", "--match", "/a", "--set", "listed"), "FIELD=VALUE"),
    ],
)
def test_a_wrong_change_is_refused_and_nothing_is_saved(marrowfen, arguments, said):
    before = (marrowfen / "atlas.toml").read_bytes()
    ran = run_command("rules", *arguments, "--yes", cwd=marrowfen)
    assert (ran.code, (marrowfen / "atlas.toml").read_bytes()) == (2, before)
    assert said in ran.err


def test_a_section_that_is_hidden_at_once_is_told_until_the_next_build(marrowfen):
    def codes():
        found = run_command("check", "--format", "json", cwd=marrowfen).json["findings"]
        return {one["code"]: one["message"] for one in found}

    assert "section-flipped" not in codes()
    rules(marrowfen, "add", "--match", "/species/**", "--set", "index=no", "--yes")
    built = run_command("build", cwd=marrowfen)
    assert "9 pages of 9 in species may no longer be indexed" in built.err
    assert "9 pages of 9" in codes()["section-flipped"]
    run_command("build", cwd=marrowfen)
    assert "section-flipped" not in codes()


@pytest.mark.parametrize(
    ("rule", "said"),
    [
        (("--match", "/nowhere/**", "--set", "listed=no"), "about no page of the last survey"),
        (("--match", "/species/**", "--set", "listed=yes"), "all that it says is so already"),
        (("--match", "/404.html", "--set", "listed=yes", "--at", "1"), "decides 1 by policy error_pages"),
    ],
)
def test_a_rule_that_turns_nothing_says_why_before_it_is_saved(marrowfen, rule, said):
    ran = run_command("rules", "add", *rule, cwd=marrowfen)
    assert said in " ".join((ran.out + ran.err).split()), ran


def test_pictures_and_embedded_pages_are_decided_as_the_vocabulary_of_directives_has_them(marrowfen):
    run_command("rules", "add", "--match", "/privacy/", "--set", "image_index=no", "--set", "embedded_index=yes", "--yes", cwd=marrowfen)
    head = run_command("explain", "/privacy/", "--format", "json", cwd=marrowfen).json["head"]
    assert head["directives"].split(", ")[-2:] == ["noimageindex", "indexifembedded"], head["directives"]
