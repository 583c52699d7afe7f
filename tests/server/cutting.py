"""Stands between the tool and the server: cuts connections, and at the end lets none through any more."""

import contextlib
import socket
import threading
from types import TracebackType
from typing import Self


class Cutting:
    """A loopback relay. `each` bytes of answers on one connection, `budget` on all together; then it is gone."""

    def __init__(self, target_port: int, each: int, budget: int = 1 << 40) -> None:
        self._target = ("127.0.0.1", target_port)
        self.each = each
        self.budget = budget
        self._listener = socket.create_server(("127.0.0.1", 0))
        self.port = self._listener.getsockname()[1]
        threading.Thread(target=self._accept, daemon=True).start()

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, _kind: type[BaseException] | None, _error: BaseException | None, _at: TracebackType | None
    ) -> None:
        self._listener.close()

    def _accept(self) -> None:
        with contextlib.suppress(OSError):
            while True:
                client, _ = self._listener.accept()
                if self.budget <= 0:
                    client.close()
                    continue
                server = socket.create_connection(self._target)
                threading.Thread(target=self._relay, args=(client, server, False), daemon=True).start()
                threading.Thread(target=self._relay, args=(server, client, True), daemon=True).start()

    def _relay(self, source: socket.socket, sink: socket.socket, answers: bool) -> None:
        left = self.each if answers else 1 << 40
        with contextlib.suppress(OSError):
            while left > 0 and self.budget > 0 and (data := source.recv(min(4096, left))):
                sink.sendall(data)
                left -= len(data)
                self.budget -= len(data) if answers else 0
        for end in (source, sink):
            with contextlib.suppress(OSError):
                end.shutdown(socket.SHUT_RDWR)
            end.close()
