"""Connections whose question does not come in time are ended, so that whoever opens many and sends nothing keeps nobody
out."""

from __future__ import annotations

import asyncio

from uvicorn.protocols.http.h11_impl import H11Protocol

QUESTION_S = 15.0  # from its first byte, or from the connection, until the head of a question has come


class PatientProtocol(H11Protocol):
    """HTTP/1.1 with an end to patience."""

    _ending: asyncio.TimerHandle | None = None

    def connection_made(self, transport: asyncio.Transport) -> None:  # type: ignore[override]
        super().connection_made(transport)
        self._be_patient()

    def data_received(self, data: bytes) -> None:
        super().data_received(data)
        if self.cycle is not None and not self.cycle.response_complete:
            self._stop_waiting()
        elif self._ending is None:
            self._be_patient()

    def on_response_complete(self) -> None:
        self._stop_waiting()
        super().on_response_complete()

    def connection_lost(self, exc: Exception | None) -> None:
        self._stop_waiting()
        super().connection_lost(exc)

    def _be_patient(self) -> None:
        self._ending = self.loop.call_later(QUESTION_S, self.transport.close)

    def _stop_waiting(self) -> None:
        if self._ending is not None:
            self._ending.cancel()
            self._ending = None
