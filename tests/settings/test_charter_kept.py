"""A charter that was parsed before says the same without being parsed, and nothing else is believed."""

import json
from pathlib import Path

import pytest

from adzeguard.core.errors import CharterError
from adzeguard.demo.workspace import charter_text
from adzeguard.settings import charter_yaml
from adzeguard.settings.charter_yaml import load_charter

RULE = "  - {id: one, group: 'LOWMERE\\Domain Admins', include: ['LOWMERE\\Administrator']}\n"


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    """A charter of two files."""
    folder = tmp_path / "charter"
    folder.mkdir()
    (folder / "a.yaml").write_text(charter_text())
    (folder / "b.yaml").write_text("charter: 1\nrules:\n" + RULE)
    return folder


def test_the_same_text_is_parsed_once(folder: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """The rules and the lines that messages name are the same; a file that changed is parsed anew."""
    kept = folder.parent / "kept"
    first = load_charter(folder, kept=kept)
    parsed: list[str] = []
    real = charter_yaml.document_of
    monkeypatch.setattr(charter_yaml, "document_of", lambda text, shown: parsed.append(shown) or real(text, shown))

    assert load_charter(folder, kept=kept) == first == load_charter(folder)
    assert parsed == ["charter/a.yaml", "charter/b.yaml"]  # by the second of the two, which keeps nothing
    (folder / "b.yaml").write_text("charter: 1\nrules:\n" + RULE.replace("one", "two"))
    assert [rule.id for rule in load_charter(folder, kept=kept).rules][-1] == "two"
    assert parsed[2:] == ["charter/b.yaml"]
    assert kept.stat().st_mode & 0o777 == 0o600


@pytest.mark.parametrize("harm", ["cut", "other program", "no JSON", "others may write it"])
def test_what_is_kept_is_not_believed_when_it_may_be_wrong(folder: Path, harm: str) -> None:
    """The files themselves are read then."""
    kept = folder.parent / "kept"
    right = load_charter(folder, kept=kept)
    content = kept.read_text()
    lies = json.loads(content)
    for document in lies["documents"].values():
        document[0]["rules"] = []
    if harm == "other program":
        lies["by"] = "0.0.9"
    kept.write_text({"cut": content[:-40], "no JSON": "\0" * 99}.get(harm, json.dumps(lies)))
    kept.chmod(0o666 if harm == "others may write it" else 0o600)

    assert load_charter(folder, kept=kept) == right


def test_a_mistake_is_told_again_and_again(folder: Path) -> None:
    """What cannot be read is never kept."""
    kept = folder.parent / "kept"
    (folder / "b.yaml").write_text("charter: 1\nrules:\n  - {id: one\n")
    for _ in range(2):
        with pytest.raises(CharterError, match=r"charter/b.yaml:4"):
            load_charter(folder, kept=kept)
