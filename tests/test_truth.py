"""The quick part of ``./dev truth``."""

from __future__ import annotations

import pytest

from truth import CHECKS


@pytest.mark.parametrize("name", CHECKS)
def test_what_is_told_is_so(name):
    missed = [f for f in CHECKS[name](True) if not f.met]
    told = [f"{f.thing}, {f.case}: {f.error:.3g} from {f.reference}, at most {f.target:.3g}" for f in missed]
    assert not missed, "\n".join(told)
