"""How much outlets are asked, minute by minute, for a day."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import UTC, datetime, timedelta

from .posting import time_text
from .store_database import StoreDatabase

MINUTES, KNOWN_FOR = 10, timedelta(days=1)


class OutletLoad:
    """The questions that came about outlets, whichever process answered them."""

    def __init__(self, database: StoreDatabase) -> None:
        self.database = database

    def note(self, questions: Mapping[str, int]) -> None:
        """Note how many questions about outlets, by their ids, came of late; other names are left out."""
        now = datetime.now(UTC)
        minute = time_text(now.replace(second=0, microsecond=0))
        known = {name for (name,) in self.database.reading.execute("SELECT id FROM outlet")} & questions.keys()
        if not known:
            return
        with self.database.changing() as database:
            database.execute("DELETE FROM load WHERE minute < ?", [time_text(now - KNOWN_FOR)])
            for name in sorted(known):
                database.execute(
                    "INSERT INTO load VALUES (?, ?, ?) ON CONFLICT (outlet, minute) "
                    "DO UPDATE SET questions = load.questions + excluded.questions",
                    [name, minute, questions[name]],
                )

    def a_minute(self) -> dict[str, float]:
        """Return how many questions a minute came about each outlet, on average over the last ten minutes."""
        since = time_text(datetime.now(UTC) - timedelta(minutes=MINUTES))
        asked = "SELECT outlet, sum(questions) FROM load WHERE minute > ? GROUP BY outlet"
        return {name: int(found) / MINUTES for name, found in self.database.reading.execute(asked, [since])}
