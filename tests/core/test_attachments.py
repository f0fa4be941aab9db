"""What values of features point at: only what lies beside the data is looked at unasked."""

from __future__ import annotations

import pytest

from brisk_atlas.core.inspect.attachments import LARGEST_PICTURE, AttachmentKind, attachment_in, picture_bytes
from brisk_atlas.core.inspect.finding import ProbeResult, ProbeValue
from brisk_atlas.core.model import CannotRead


@pytest.fixture
def folder(tmp_path):
    home = tmp_path / "survey"
    (home / "photos").mkdir(parents=True)
    (home / "photos" / "core 1.JPG").write_bytes(b"\xff\xd8 picture")
    (home / "report.pdf").write_bytes(b"%PDF")
    (tmp_path / "secret.png").write_bytes(b"x")
    return home


@pytest.mark.parametrize(
    ("value", "kind"), [("photos/core 1.JPG", "picture"), ("photos\\core 1.JPG", "picture"), ("report.pdf", "document")]
)
def test_what_lies_beside_the_data_is_found_by_a_relative_path(folder, value, kind):
    found = attachment_in(value, folder)
    assert found.kind == kind and found.beside and found.place.startswith(str(folder))


def test_an_absolute_path_and_a_file_address_into_the_folder_are_beside(folder):
    path = folder / "photos" / "core 1.JPG"
    assert attachment_in(str(path), folder).beside
    assert attachment_in("file://" + str(path).replace(" ", "%20"), folder).beside
    assert picture_bytes(attachment_in(str(path), folder)) == b"\xff\xd8 picture"


@pytest.mark.parametrize("value", ["../secret.png", "/etc/hosts.txt", "photos/../../secret.png", "link.png"])
def test_what_lies_outside_is_not_even_looked_for(folder, value):
    (folder / "link.png").symlink_to(folder.parent / "secret.png")
    found = attachment_in(value, folder)
    assert found is not None and not found.beside and not found.is_remote
    gone = attachment_in("../never_there.png", folder)
    assert gone is not None and not gone.beside  # whether it is there is not told


@pytest.mark.parametrize(
    ("value", "kind", "host"),
    [("https://survey.tolvane.example/a/b.PNG?x=1", "picture", "survey.tolvane.example"),
     ("http://survey.tolvane.example/hole", "page", "survey.tolvane.example")],
)  # fmt: skip
def test_addresses_are_never_beside(folder, value, kind, host):
    found = attachment_in(value, folder)
    assert found.kind == AttachmentKind(kind) and not found.beside and found.is_remote and found.host == host


@pytest.mark.parametrize("value", [None, 7, "", "basalt flow", "missing.png", "a" * 3000 + ".png", "x\0.png", "https://",
                                   "https://a b.example", "http://[bad", "rock.granite", "javascript:alert(1).png\n"])  # fmt: skip
def test_other_values_point_at_nothing(folder, value):
    assert attachment_in(value, folder) is None


def test_data_that_is_no_file_has_nothing_beside_it():
    assert attachment_in("photos/core.jpg", None) is None


def test_a_picture_without_end_is_refused(folder):
    big = folder / "big.png"
    with big.open("wb") as file:
        file.truncate(LARGEST_PICTURE + 10)
    with pytest.raises(CannotRead, match="larger than"):
        picture_bytes(attachment_in("big.png", folder))


def test_the_headline_is_what_is_pinned_else_the_first_values():
    def value(key, text, group):
        return ProbeValue(key, text, text, group=group, key=key)

    hole = ProbeResult("a", "hole", tuple(value(k, k.upper(), "attributes") for k in ("x", "y", "z")))
    assert hole.headline() == "X · Y" and hole.headline({"z"}) == "Z"
    grid = ProbeResult("g", "grid", (value("v", "3.5", "bands"), value("ft", "11", "bands"), value("row", "7", "cell")))
    assert grid.headline() == "3.5" and ProbeResult("e", "empty", ()).headline() == ""
