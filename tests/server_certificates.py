"""Certificates for the servers of the tests and their clients."""

from __future__ import annotations

import os
import pwd
import shutil
import subprocess
from pathlib import Path


def make_certificates(folder: Path, owner: str) -> Path:
    """Make a certificate of an authority, one of the server for `localhost` that `owner` may read, and one of the user
    `kim`; returns the folder of what clients need."""
    mine = folder / "client"
    mine.mkdir()

    def openssl(*words: object) -> None:
        subprocess.run(["openssl", *map(str, words)], check=True, capture_output=True)

    ca, ca_key, more = folder / "ca.crt", folder / "ca.key", folder / "more.txt"
    openssl("req", "-x509", "-newkey", "rsa:2048", "-nodes", "-days", 2, "-subj", "/CN=Tolvane tests", "-keyout", ca_key,
            "-out", ca, "-addext", "keyUsage=critical,keyCertSign,cRLSign")  # fmt: skip
    for name, place in (("localhost", folder / "server"), ("kim", mine / "kim")):
        key, request, made = (place.with_suffix(ending) for ending in (".key", ".csr", ".crt"))
        openssl("req", "-newkey", "rsa:2048", "-nodes", "-subj", f"/CN={name}", "-keyout", key, "-out", request)
        more.write_text("subjectKeyIdentifier=hash\nauthorityKeyIdentifier=keyid\n")
        openssl("x509", "-req", "-in", request, "-CA", ca, "-CAkey", ca_key, "-CAcreateserial", "-days", 2, "-out", made,
                "-extfile", more)  # fmt: skip
        key.chmod(0o600)
    shutil.copy(ca, mine / "ca.crt")
    if os.getuid() == 0:
        found = pwd.getpwnam(owner)
        for each in (folder / "server.key", folder / "server.crt", ca):
            os.chown(each, found.pw_uid, found.pw_gid)
        folder.chmod(0o755)
    return mine
