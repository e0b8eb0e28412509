"""Where this program keeps things of the user's."""

from __future__ import annotations

from pathlib import Path

import platformdirs


class Places:
    """Files and folders by what is in them."""

    def __init__(self, config: Path, state: Path, data: Path | None = None, cache: Path | None = None) -> None:
        self.prefs = config / "preferences.json"
        self.stand = config / "window.json"
        self.looks = config / "looks.json"
        self.proof = config / "proof.json"
        self.destinations = config / "destinations"
        self.journals = state / "journal"
        self.left_off = state / "left-off.json"
        self.camera = state / "practice-camera"
        self.cabinet = (data or state) / "cabinet"
        self.cabinet_look = config / "cabinet.json"
        self.last_seen = None if cache is None else cache / "last-seen"

    @classmethod
    def of_user(cls) -> Places:
        """The folders that the desktop's standard gives (freedesktop, XDG Base Directory)."""
        return cls(*(
            Path(folder("engraver")) for folder in (
                platformdirs.user_config_dir, platformdirs.user_state_dir, platformdirs.user_data_dir,
                platformdirs.user_cache_dir,
            )
        ))  # fmt: skip
