"""The colour tokens of both themes. Text keeps a contrast of at least 4.5:1 (WCAG 2.2)."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from types import MappingProxyType

# The height of the bar and the width of the rim, in pixels at text size 100 %.
TOP, RIM = 36, 46


@dataclass(frozen=True, slots=True)
class Theme:
    """One look: paper and ink by day, night blue and lamplight by night."""

    id: str
    name: str
    paper: str
    panel: str
    card: str
    well: str
    line: str
    ink: str
    ink_2: str
    accent: str
    accent_soft: str
    on_accent: str
    good: str
    look: str
    fault: str
    zone: str
    surround: str
    # Bars over the pictures are dark in both looks, so that tones are judged fairly.
    bar: str
    on_bar: str
    on_bar_2: str
    bar_line: str


DAY = Theme(
    "day", "Day", paper="#F1EDE5", panel="#E8E2D7", card="#FBF9F5", well="#DAD2C4", line="#C8BEAE",
    ink="#1F2430", ink_2="#5C6170", accent="#9A4420", accent_soft="#E9CDBB", on_accent="#FFF9F2",
    good="#23695E", look="#855605", fault="#A3303A", zone="#A9CBC3", surround="#86857F",
    bar="#484844", on_bar="#F5F3EE", on_bar_2="#CFCDC6", bar_line="#66665F",
)  # fmt: skip
LAMP = Theme(
    "lamp", "Lamp", paper="#1C2333", panel="#242C3F", card="#2E3750", well="#141A27", line="#3D4762",
    ink="#F2EDE2", ink_2="#AAB1C5", accent="#E8C878", accent_soft="#46432F", on_accent="#1C2333",
    good="#63BFAF", look="#F0954A", fault="#F28E98", zone="#35665F", surround="#5A5A58",
    bar="#33332F", on_bar="#F2EDE2", on_bar_2="#BDBBB2", bar_line="#55554F",
)  # fmt: skip
THEMES: Mapping[str, Theme] = MappingProxyType({t.id: t for t in (DAY, LAMP)})
