"""Changing a site file table by table: what is not meant stays as it was, letter for letter."""

import tomllib

import pytest
from hypothesis import given
from hypothesis import strategies as st

from jovial_atlas.sitefile.blocks import blocks_of, text_of_blocks
from jovial_atlas.sitefile.edit import (
    add_rule,
    add_table,
    change_rule,
    move_rule,
    remove_rule,
    remove_table,
    set_export,
    set_key,
    set_part,
)

FILE = '''# Above all.
base = "x.toml"

[site]   # the site
url = "https://a.example"
note = """
[[rule]]
this is text
"""

# About the first rule.
[[rule]]
match = "/a/**"   # each
set = { index = false }

[[section]]
name = "one"
match = "/one/**"

# The second.
[[rule]]
match = [
  "/b/",
]
[rule.set]
listed = false

[[section]]
name = "two"
match = "/two/**"
# At the end.
'''
RULE = {"match": "/c/", "set": {"index": False}}
OTHER = '[policies]\nfeeds = "index"\n\n[[section]]\nname = "three"\nmatch = "/three/"\n'


def without(text, *pieces):
    for piece in pieces:
        assert piece in text, piece
        text = text.replace(piece, "", 1)
    return text.split()


def test_blocks_are_the_text_and_a_comment_goes_with_what_it_stands_above():
    blocks = blocks_of(FILE)
    assert "".join(one.text for one in blocks) == FILE
    plain = FILE.replace('"""\n[[rule]]\nthis is text\n"""', '"x"')
    assert text_of_blocks(blocks_of(plain)) == plain
    assert [one.name for one in blocks if one.name] != [], blocks
    assert next(one for one in blocks if "/b/" in one.text).text.startswith("# The second.")


@pytest.mark.parametrize(
    ("change", "rules"),
    [
        (lambda text: add_rule(text, RULE), ["/a/**", ["/b/"], "/c/"]),
        (lambda text: add_rule(text, RULE, 1), ["/c/", "/a/**", ["/b/"]]),
        (lambda text: remove_rule(text, 1), [["/b/"]]),
        (lambda text: remove_rule(text, 2), ["/a/**"]),
        (lambda text: move_rule(text, 2, 1), [["/b/"], "/a/**"]),
        (lambda text: change_rule(text, 2, {"match": "/d/", "reason": "Why"}), ["/a/**", "/d/"]),
        (lambda text: change_rule(text, 1, {"set": None}), ["/a/**", ["/b/"]]),
    ],
)
def test_rules_change_and_all_else_says_what_it_said(change, rules):
    # A text that holds what looks like a table makes the file one that is written anew.
    for file in (FILE, FILE.replace('"""\n[[rule]]\nthis is text\n"""', '"x"')):
        before, after = tomllib.loads(file), tomllib.loads(change(file))
        assert [one["match"] for one in after.pop("rule")] == rules
        before.pop("rule")
        assert after == before
        assert "# Above all." in change(file) and "# the site" in change(file)


def test_where_tables_are_told_apart_nothing_else_is_written():
    file = FILE.replace('"""\n[[rule]]\nthis is text\n"""', '"x"')
    added = add_rule(file, RULE)
    assert without(added, '[[rule]]\nmatch = "/c/"\nset = {index = false}\n') == file.split()
    assert remove_rule(added, 3).split() == file.split()
    assert move_rule(move_rule(file, 2, 1), 2, 1).split() == file.split()
    assert "# About the first rule." not in remove_rule(file, 1)


def test_keys_tables_and_parts():
    assert tomllib.loads(set_key(FILE, "site", "stage", "draft"))["site"]["stage"] == "draft"
    fresh = set_key(FILE, "policies", "feeds", "index")
    assert fresh.startswith(FILE.rstrip()) and tomllib.loads(fresh)["policies"] == {
        "feeds": "index"
    }
    assert tomllib.loads(set_key(fresh, "policies", "feeds", None)).get("policies") == {}
    assert set_key(FILE, "policies", "feeds", None) == FILE
    engine = add_table(FILE, "engine", {"name": "L", "channels": []})
    assert tomllib.loads(engine)["engine"] == [{"name": "L", "channels": []}]
    told = set_export(engine, "L", "sitemaps", {"loc": "Address"})
    assert tomllib.loads(told)["engine"][0]["exports"] == [
        {"kind": "sitemaps", "columns": {"loc": "Address"}}
    ]
    parted = set_part(FILE, "section", OTHER)
    assert [one["name"] for one in tomllib.loads(parted)["section"]] == ["three"]
    assert "section" not in tomllib.loads(set_part(FILE, "section", ""))
    assert "policies" not in tomllib.loads(parted), "only the part that was asked for"


@given(
    st.lists(
        st.sampled_from(["", "# c", "[a]", "[[b]]", "x = 1", "[a.b]", "  ", "[[b.c]]"]), max_size=12
    )
)
def test_any_lines_are_parted_and_joined_again(lines):
    text = "".join(f"{line}\n" for line in lines)
    assert "".join(one.text for one in blocks_of(text)) == text


@pytest.mark.parametrize(
    ("text", "number", "left"),
    [
        # One of two, with the comments of the other.
        (
            '[site]\nurl = "u"\n\n[[trial]]\nname = "a"\n\n# Kept.\n[[trial]]\nname = "b"  # so\n',
            0,
            '[site]\nurl = "u"\n\n# Kept.\n[[trial]]\nname = "b"  # so\n',
        ),
        # The last one; nothing stays of the list.
        ('[site]\nurl = "u"\n\n[[trial]]\nname = "a"\n', 0, '[site]\nurl = "u"\n'),
        # What stands behind it stays.
        (
            '[[trial]]\nname = "a"\n\n[checks]\nx = 1\n',
            0,
            "[checks]\nx = 1\n",
        ),
        # Written as one value, there is no table to cut out.
        ('trial = [{name = "a"}, {name = "b"}]\n', 1, 'trial = [{name = "a"}]\n'),
    ],
)
def test_a_table_of_a_list_is_removed_and_the_rest_stays_as_it_was_written(text, number, left):
    assert remove_table(text, "trial", number) == left
