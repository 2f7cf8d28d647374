"""The core's tests load neither Flask nor a database. `--quick` leaves out what goes through every example unit."""

import pytest

# Two wirings that between them have a sequencer, a contactor's rectifier, one stage and three.
QUICK_UNITS = ("two-strip-sequencer", "three-strip-dc-relay")
EVERY_UNIT = (
    "four-strip-chained", "four-strip-staged", "one-strip-dpdt", "six-strip-chained", "three-strip-ecm",
    "two-strip-ac-relay", "wye-contactor",
)  # fmt: skip
# Held against a circuit simulator, or over thousands of random answers: seconds each.
SLOW = ("test_contacts_by_simulator", "test_netlist", "test_practice_skills", "test_policies_stand_in_their_order",
        "test_a_chain_says_which", "test_no_words_are_left", "test_up_to_eight_stops")  # fmt: skip


def pytest_addoption(parser: pytest.Parser) -> None:
    """Know `--quick`, which `script/quick` gives."""
    parser.addoption("--quick", action="store_true", help="leave out what takes seconds: script/test runs it all")


def pytest_collection_modifyitems(config: pytest.Config, items: list[pytest.Item]) -> None:
    """Leave out the slow ones where they were not asked for."""
    if not config.getoption("--quick", default=False):
        return
    kept: list[pytest.Item] = []
    left: list[pytest.Item] = []
    for item in items:
        is_slow = any(name in item.nodeid for name in (*EVERY_UNIT, *SLOW))
        (left if is_slow else kept).append(item)
    config.hook.pytest_deselected(items=left)
    items[:] = kept
