"""Sets of files: whole, minimal, and never over what others wrote."""

import json

import pytest

from jovial_atlas.errors import OutputError
from jovial_atlas.files import FileSet


@pytest.fixture
def made(tmp_path):
    """`made(a=b"1")` commits a set of files and gives {path: state}."""
    folder, manifest = tmp_path / "public", tmp_path / "state/manifest.json"

    def commit(dry=False, **due):
        files = FileSet(folder, manifest, dry=dry)
        for name, data in due.items():
            files.put(name, data)
        changes = files.changes() if dry else files.commit()
        return {change.path: change.state for change in changes}

    commit.folder, commit.manifest = folder, manifest
    return commit


def test_states_tell_what_a_build_did(made):
    assert made(a=b"1", b=b"1") == {"a": "new", "b": "new"}
    before = (made.folder / "a").stat().st_mtime_ns
    assert made(a=b"1", b=b"2", c=b"3") == {"a": "same", "b": "changed", "c": "new"}
    assert (made.folder / "a").stat().st_mtime_ns == before, "a same file is not touched"
    assert made(a=b"1") == {"a": "same", "b": "removed", "c": "removed"}
    assert [path.name for path in made.folder.iterdir()] == ["a"]


def test_files_of_others_are_never_overwritten_nor_removed(made):
    made.folder.mkdir()
    (made.folder / "robots").write_bytes(b"by hand")
    assert made(robots=b"ours") == {"robots": "kept"}
    assert (made.folder / "robots").read_bytes() == b"by hand"
    made(a=b"1")
    (made.folder / "a").write_bytes(b"edited since")
    assert made(a=b"2") == {"a": "kept"}
    assert made() == {}
    assert (made.folder / "a").read_bytes() == b"edited since"


def test_a_dry_run_compares_and_writes_nothing(made):
    made(a=b"1", b=b"1")
    assert made(dry=True, a=b"2", c=b"3") == {"a": "changed", "b": "removed", "c": "new"}
    assert sorted(path.name for path in made.folder.iterdir()) == ["a", "b"]


@pytest.mark.parametrize("dry", [False, True])
def test_bytes_in_pieces_are_put_as_others_are(made, dry):
    made(a=b"12", b=b"1", c=b"1")
    (made.folder / "c").write_bytes(b"edited since")
    files = FileSet(made.folder, made.manifest, dry=dry)
    for name, pieces in {"a": (b"1", b"2"), "b": (b"1", b"2"), "c": (b"3",), "d": ()}.items():
        files.put_pieces(name, iter(pieces))
    states = {change.path: (change.state, change.bytes) for change in files.changes()}
    assert states == {"a": ("same", 2), "b": ("changed", 2), "c": ("kept", 1), "d": ("new", 0)}
    assert [files.read(name) for name in "abd"] == [b"12", b"12", b""]
    if not dry:
        files.commit()
        assert [(made.folder / name).read_bytes() for name in "abcd"] == [b"12", b"12", b"edited since", b""]
    with pytest.raises(OutputError, match="leaves the output folder"):
        files.put_pieces("../out", [b"1"])


def test_an_error_in_making_pieces_comes_out_as_it_is_and_leaves_nothing(made):
    made(a=b"1")
    files = FileSet(made.folder, made.manifest)

    def broken():
        yield b"2"
        raise ValueError("no more")

    with pytest.raises(ValueError, match="no more"):
        files.put_pieces("a", broken())
    files.discard()
    assert [(p.name, p.read_bytes()) for p in made.folder.iterdir()] == [("a", b"1")]


def test_discarding_leaves_the_old_set_complete(made):
    made(a=b"1")
    files = FileSet(made.folder, made.manifest)
    files.put("a", b"2")
    files.put("b", b"2")
    files.discard()
    assert [(p.name, p.read_bytes()) for p in made.folder.iterdir()] == [("a", b"1")]


def test_after_a_crash_between_renames_the_new_files_are_still_ours(made, monkeypatch):
    made(a=b"1", b=b"1")
    files = FileSet(made.folder, made.manifest)
    files.put("a", b"2")
    files.put("b", b"2")
    monkeypatch.setattr(files, "_save", lambda *_: _crash_on_second(made, files, _))
    with pytest.raises(RuntimeError):
        files.commit()
    assert (made.folder / "a").read_bytes() == b"2"
    assert made(a=b"3", b=b"3") == {"a": "changed", "b": "changed"}


def _crash_on_second(made, files, saved):
    """Let the journal of what is to come be written, then die before the final record."""
    if saved[1]:
        FileSet._save(files, *saved)
    else:
        raise RuntimeError("power cut")


def test_a_name_that_leaves_the_folder_is_refused(made):
    with pytest.raises(OutputError, match="leaves the output folder"):
        made(**{"../x": b"1"})


def test_a_damaged_manifest_is_told_not_overwritten(made):
    made(a=b"1")
    made.manifest.write_text("{")
    with pytest.raises(OutputError, match="restore it from a backup"):
        made(a=b"2")
    made.manifest.write_text(json.dumps({"files": {}}))
    assert made(a=b"2") == {"a": "kept"}
