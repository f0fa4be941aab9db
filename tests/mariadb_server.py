"""A MariaDB server of its own for the tests: in a temporary folder, on the loopback, gone when they end."""

from __future__ import annotations

import os
import pwd
import secrets
import socket
import subprocess
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from pathlib import Path
from urllib.parse import quote

import pymysql
import pytest

from server_certificates import make_certificates
from server_folder import server_folder

USER, DATABASE = "ana", "survey"
SERVER = Path("/usr/sbin/mariadbd")
INSTALL = "apt-get install --no-install-recommends mariadb-server"
START_S = 60.0


@dataclass(frozen=True)
class MariaServer:
    """A running server. `log` is its file of statements; `certificates` has `ca.crt` that its own for `localhost` is
    signed by, and the key and the certificate of the user `kim`, who has no password but has to show it."""

    port: int
    password: str
    log: Path
    certificates: Path

    @property
    def address(self) -> str:
        """Where it is reached, without the password."""
        return f"mariadb://{USER}@127.0.0.1:{self.port}/{DATABASE}"

    @property
    def address_with_password(self) -> str:
        """What a person would paste."""
        return f"mariadb://{USER}:{quote(self.password, safe='')}@127.0.0.1:{self.port}/{DATABASE}"

    def connect(self) -> pymysql.Connection:
        """Return another client's connection, which may write."""
        return pymysql.connect(
            host="127.0.0.1", port=self.port, user=USER, password=self.password, database=DATABASE, autocommit=True,
            charset="utf8mb4",
        )  # fmt: skip

    def statements(self) -> str:
        """Return the statements that the server was asked so far."""
        return self.log.read_text("utf-8", "replace")


@contextmanager
def running_mariadb() -> Iterator[MariaServer]:
    """Run a server; skip the tests that need one where it is not installed, with the reason."""
    if not SERVER.exists():
        if os.environ.get("CI") == "true":
            pytest.fail(f"no MariaDB server is installed: {INSTALL}")
        pytest.skip(f"no MariaDB server is installed: sudo {INSTALL}")
    with server_folder("brisk-mariadb-", Path(tempfile.gettempdir())) as folder:
        yield from _running_in(folder)


def _running_in(folder: Path) -> Iterator[MariaServer]:
    data, spot, log = folder / "data", folder / "server.sock", folder / "statements"
    user = "mysql" if os.getuid() == 0 else pwd.getpwuid(os.getuid()).pw_name
    if os.getuid() == 0:
        os.chown(folder, pwd.getpwnam(user).pw_uid, pwd.getpwnam(user).pw_gid)
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    certificates = make_certificates(folder, user)
    subprocess.run(["mariadb-install-db", "--no-defaults", f"--datadir={data}", f"--user={user}", "--skip-test-db",
                    "--auth-root-authentication-method=normal"], check=True, capture_output=True)  # fmt: skip
    server = subprocess.Popen(
        [SERVER, "--no-defaults", f"--datadir={data}", f"--socket={spot}", f"--port={port}", f"--user={user}",
         "--bind-address=127.0.0.1", "--general-log=1", f"--general-log-file={log}", "--innodb-flush-log-at-trx-commit=0",
         f"--pid-file={folder / 'pid'}", f"--ssl-ca={folder / 'ca.crt'}", f"--ssl-cert={folder / 'server.crt'}",
         f"--ssl-key={folder / 'server.key'}"],
        stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
    )  # fmt: skip
    try:
        password = secrets.token_hex(8) + "%@/:"
        with _root(spot) as link, link.cursor() as cursor:
            cursor.execute(f"CREATE DATABASE {DATABASE} CHARACTER SET utf8mb4")
            cursor.execute(f"CREATE USER {USER}@'%%' IDENTIFIED BY %s", [password])
            cursor.execute(f"GRANT ALL ON *.* TO {USER}@'%'")
            cursor.execute("CREATE USER kim@'%' REQUIRE X509")
            cursor.execute("GRANT SELECT ON *.* TO kim@'%'")
        yield MariaServer(port, password, log, certificates)
    finally:
        server.terminate()
        with suppress(subprocess.TimeoutExpired):
            server.wait(30)
        server.kill()


def _root(spot: Path) -> pymysql.Connection:
    """Return a connection by the server's socket, once it stands."""
    until = time.monotonic() + START_S
    while True:
        try:
            return pymysql.connect(unix_socket=str(spot), user="root", password="", autocommit=True)
        except pymysql.OperationalError:
            if time.monotonic() > until:
                raise
            time.sleep(0.1)
