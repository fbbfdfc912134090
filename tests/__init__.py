# SPDX-License-Identifier: GPL-3.0-or-later
"""Tests, and the Hypothesis profiles that their property tests run under.

`ZOLVEK_TEST_PROFILE` names the profile; `./zolvek test --quick` and `--long` set it. A busy machine may
take long to draw an example: that is no fault of the example, so there is no deadline."""

import os
from collections.abc import Callable
from typing import Any, TypeVar

from hypothesis import HealthCheck, settings

Test = TypeVar("Test", bound=Callable[..., object])
EXAMPLES = {"quick": 15, "usual": 50, "long": 1_000}
PROFILE = os.environ.get("ZOLVEK_TEST_PROFILE", "usual")

# CI draws the same examples at every run; at a desk the search goes on for others.
_steady: dict[str, Any] = {"derandomize": True, "database": None} if os.environ.get("CI") else {}
for _name, _count in EXAMPLES.items():
    settings.register_profile(
        _name,
        max_examples=_count,
        deadline=None,
        suppress_health_check=[HealthCheck.too_slow],
        **(_steady if _name != "long" else {}),
    )
settings.load_profile(PROFILE)


def starts_processes(test: Test) -> Test:
    """Marks a test that starts processes: `--quick` leaves it out."""
    test.__dict__["starts_processes"] = True
    return test


def trials(usual: int) -> int:
    """How many a loop of its own tries under this profile, where it usually tries so many."""
    return max(usual * EXAMPLES[PROFILE] // EXAMPLES["usual"], 2)


# For properties whose single example costs much.
few = settings(max_examples=max(EXAMPLES[PROFILE] // 3, 5))
