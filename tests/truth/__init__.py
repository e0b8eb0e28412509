"""What the product says, against what is so: ``./dev truth`` runs it all, the tests the quick part."""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType

from truth import blurs, borders, files, fixes, gauges, methods, middle, previews, recognised, slopes, strips
from truth.fact import Check

CHECKS: Mapping[str, Check] = MappingProxyType(
    {
        "blurs": blurs.facts,
        "slopes": slopes.facts,
        "borders": borders.facts,
        "files": files.facts,
        "previews": previews.facts,
        "gauges": gauges.facts,
        "methods": methods.facts,
        "strips": strips.facts,
        "middle": middle.facts,
        "recognised": recognised.facts,
        "fixes": fixes.facts,
    }
)
