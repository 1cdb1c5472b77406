"""What holds for a client for good: found by the name however it is written, and lost for no other client."""

from __future__ import annotations

import json

import pytest

from deep_tally.model.decisions import Decision
from deep_tally.model.errors import CannotWrite
from deep_tally.session.client_decisions import all_clients, decisions_of, home, keep_of_client

ENDS = Decision(code="length.tail-cut", kind="meant", scope="code", family="voices", note="always so")
HOT = Decision(code="headroom.hot", kind="here", scope="code")


def test_it_is_found_by_the_clients_name_however_it_is_written() -> None:
    keep_of_client("Marit  Solheim-Vann", (ENDS,))
    assert decisions_of(" marit solheim-vann ") == (ENDS,)
    assert decisions_of("Marit") == ()
    assert decisions_of("") == ()


def test_one_client_does_not_change_another() -> None:
    keep_of_client("Marit", (ENDS,))
    keep_of_client("Jonte", (HOT,))
    keep_of_client("marit", (ENDS, HOT))
    assert decisions_of("Marit") == (ENDS, HOT)
    assert decisions_of("Jonte") == (HOT,)
    keep_of_client("Marit", ())
    assert dict(all_clients()) == {"Jonte": (HOT,)}


def test_values_that_cannot_be_used_cost_themselves_alone() -> None:
    keep_of_client("Marit", (ENDS,))
    said = json.loads(home().read_text())
    said["Marit"].insert(0, {"code": 3})
    said["Jonte"] = "nonsense"
    home().write_text(json.dumps(said))
    assert dict(all_clients()) == {"Marit": (ENDS,)}
    home().write_text("[")
    assert dict(all_clients()) == {}


def test_a_folder_that_cannot_be_made_is_said() -> None:
    home().parent.parent.mkdir(parents=True, exist_ok=True)
    home().parent.write_text("a file where the folder should be")
    with pytest.raises(CannotWrite, match="cannot be made"):
        keep_of_client("Marit", (ENDS,))
