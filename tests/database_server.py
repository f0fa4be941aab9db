"""A PostgreSQL server of its own for the tests: in a temporary folder, on the loopback, gone when they end."""

from __future__ import annotations

import os
import pwd
import secrets
import socket
import subprocess
import tempfile
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from pathlib import Path
from urllib.parse import quote

import psycopg
import pytest

from server_certificates import make_certificates
from server_folder import server_folder

USER, DATABASE = "ana", "survey"
IN_MEMORY = Path("/dev/shm")
INSTALL = "apt-get install --no-install-recommends postgresql-15 postgresql-15-postgis-3"


@dataclass(frozen=True)
class DatabaseServer:
    """A running server. `log` is its file of statements; `certificates` has `ca.crt` that its own is signed by, and the
    key and the certificate of the user `kim`, who has no password."""

    port: int
    password: str
    log: Path
    certificates: Path
    control: Callable[..., object] = field(repr=False)  # with "start", "stop" or "restart"

    @property
    def address(self) -> str:
        """Where it is reached, without the password."""
        return f"postgresql://{USER}@127.0.0.1:{self.port}/{DATABASE}"

    @property
    def address_with_password(self) -> str:
        """What a person would paste."""
        return self.address_of(DATABASE)

    def address_of(self, database: str) -> str:
        """Return the address of one of its databases, with the password."""
        return f"postgresql://{USER}:{quote(self.password, safe='')}@127.0.0.1:{self.port}/{database}"

    def connect(self) -> psycopg.Connection:
        """Return another client's connection, which may write."""
        return self.connect_to(DATABASE)

    def connect_to(self, database: str) -> psycopg.Connection:
        """Return another client's connection to one of its databases."""
        return psycopg.connect(self.address_of(database), autocommit=True)

    def statements(self) -> str:
        """Return the statements that the server was asked so far."""
        return self.log.read_text("utf-8", "replace")


def programs() -> Path | None:
    """Return the folder of the server's programs, None where it is not installed."""
    found = sorted(Path("/usr/lib/postgresql").glob("*/bin/postgres"), key=lambda p: int(p.parts[4]))
    return found[-1].parent if found else None


def _as_server() -> list[str]:
    """Return how to run the server's programs, which refuse to be run by root."""
    return ["runuser", "-u", "postgres", "--"] if os.getuid() == 0 else []


@contextmanager
def running() -> Iterator[DatabaseServer]:
    """Run a server with PostGIS; skip the tests that need one where it is not installed, with the reason."""
    bin_ = programs()
    if bin_ is None:
        if os.environ.get("CI") == "true":
            pytest.fail(f"no PostgreSQL server is installed: {INSTALL}")
        pytest.skip(f"no PostgreSQL server is installed: sudo {INSTALL}")
    room = IN_MEMORY if IN_MEMORY.is_dir() else Path(tempfile.gettempdir())
    with server_folder("brisk-server-", room) as folder:
        yield from _running_in(folder, bin_)


def _running_in(folder: Path, bin_: Path) -> Iterator[DatabaseServer]:
    password, log = secrets.token_hex(8) + "%@/:", folder / "log"
    (folder / "password").write_text(password)
    if os.getuid() == 0:
        owner = pwd.getpwnam("postgres")
        for each in (folder, folder / "password"):
            os.chown(each, owner.pw_uid, owner.pw_gid)
    certificates = make_certificates(folder, "postgres")
    with socket.socket() as spot:
        spot.bind(("127.0.0.1", 0))
        port = spot.getsockname()[1]
    run = _as_server()
    data = folder / "data"
    subprocess.run([*run, bin_ / "initdb", "-D", data, "-U", USER, "-A", "scram-sha-256", "--pwfile", folder / "password",
                    "-E", "UTF8", "--locale", "C", "--no-sync"], check=True, capture_output=True, cwd="/")  # fmt: skip
    settings = {"listen_addresses": "127.0.0.1", "port": port, "unix_socket_directories": folder, "fsync": "off",
                "wal_level": "minimal", "max_wal_senders": 0, "min_wal_size": "32MB", "max_wal_size": "64MB",  # in memory
                "ssl": "on", "ssl_cert_file": folder / "server.crt", "ssl_key_file": folder / "server.key",
                "ssl_ca_file": folder / "ca.crt", "log_statement": "all", "logging_collector": "off", "max_connections": 60}  # fmt: skip
    with (data / "pg_hba.conf").open("r+") as rules:
        others = rules.read()
        rules.seek(0)
        rules.write(f"hostssl all kim 127.0.0.1/32 cert\n{others}")
    options = " ".join(f"-c {name}={value}" for name, value in settings.items())

    def control(deed: str, *, check: bool = True) -> None:
        mode = ["-m", "immediate"] if deed != "start" else []
        subprocess.run([*run, bin_ / "pg_ctl", "-D", data, "-l", log, "-o", options, *mode, "-w", deed], check=check,
                       capture_output=True, cwd="/")  # fmt: skip

    control("start")
    try:
        server = DatabaseServer(port, password, log, certificates, control)
        with server.connect_to("postgres") as link:
            link.execute(f"CREATE DATABASE {DATABASE}")
        with server.connect() as link:
            link.execute("CREATE EXTENSION postgis")
        yield server
    finally:
        control("stop", check=False)
