"""Real servers on loopback, started by the tests themselves: Debian's vsftpd, OpenSSH and PostgreSQL."""

from __future__ import annotations

import getpass
import os
import shutil
import signal
import socket
import subprocess
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import paramiko
import psycopg

from tests.ports import free_port
from zerrit.standin.host import make_certificate


@dataclass(frozen=True)
class RealServer:
    port: int
    user: str
    secret: str
    folder: str


def _await(port: int, process: subprocess.Popen[bytes]) -> None:
    deadline = time.monotonic() + 20
    while True:
        assert process.poll() is None, "the server ended at its start"
        try:
            socket.create_connection(("127.0.0.1", port), 1).close()
            return
        except OSError:
            assert time.monotonic() < deadline, "the server does not listen"
            time.sleep(0.05)


@contextmanager
def openssh(folder: Path, work: Path) -> Iterator[RealServer]:
    """OpenSSH's own server with its sftp-server; it takes one key, for the user that runs the tests."""
    work.mkdir(parents=True, exist_ok=True)
    work.chmod(0o700)
    for name in ("host", "user"):
        subprocess.run(
            ["ssh-keygen", "-q", "-t", "ed25519", "-N", "", "-f", str(work / name)], check=True, capture_output=True
        )
    shutil.copy(work / "user.pub", work / "authorized")
    (work / "authorized").chmod(0o600)
    port = free_port()
    config = work / "sshd_config"
    config.write_text(
        f"Port {port}\nListenAddress 127.0.0.1\nHostKey {work / 'host'}\nPidFile none\nUsePAM no\nStrictModes no\n"
        f"AuthorizedKeysFile {work / 'authorized'}\nPasswordAuthentication no\nPermitRootLogin yes\n"
        "Subsystem sftp /usr/lib/openssh/sftp-server\n"
    )
    if os.geteuid() == 0:
        Path("/run/sshd").mkdir(exist_ok=True)
    with (work / "log").open("wb") as log:
        process = subprocess.Popen(["/usr/sbin/sshd", "-D", "-e", "-f", str(config)], stderr=log)
    try:
        _await(port, process)
        yield RealServer(port, getpass.getuser(), (work / "user").read_text(), str(folder))
    finally:
        process.terminate()
        process.wait(10)


@contextmanager
def vsftpd(folder: Path, work: Path, *, tls: bool) -> Iterator[RealServer]:
    """Debian's vsftpd; its anonymous user may write, since it runs as whoever runs the tests."""
    work.mkdir(parents=True, exist_ok=True)
    port = free_port()
    empty = work / "empty"
    empty.mkdir(exist_ok=True)
    lines = [
        "listen=YES",
        "background=NO",
        f"listen_port={port}",
        "listen_address=127.0.0.1",
        "run_as_launching_user=YES",
        "anonymous_enable=YES",
        "local_enable=NO",
        "write_enable=YES",
        "anon_upload_enable=YES",
        "anon_mkdir_write_enable=YES",
        "anon_other_write_enable=YES",
        "anon_umask=022",
        "no_anon_password=NO",
        "allow_writeable_chroot=YES",
        f"anon_root={folder}",
        f"secure_chroot_dir={empty}",
        "pasv_address=127.0.0.1",
        "seccomp_sandbox=NO",
        "xferlog_enable=NO",
    ]
    if tls:
        certificate = make_certificate(work)
        lines += [
            "ssl_enable=YES",
            "allow_anon_ssl=YES",
            "force_anon_data_ssl=YES",
            "force_anon_logins_ssl=YES",
            f"rsa_cert_file={certificate}",
            "ssl_ciphers=HIGH",
        ]
    config = work / "vsftpd.conf"
    config.write_text("\n".join(lines) + "\n")
    if os.geteuid() == 0:
        os.chown(config, 0, 0)
    process = subprocess.Popen(["/usr/sbin/vsftpd", str(config)], stderr=subprocess.PIPE)
    try:
        _await(port, process)
        yield RealServer(port, "anonymous", "a@b", str(folder))
    finally:
        process.terminate()
        process.wait(10)


def new_key() -> tuple[str, bytes]:
    """A private key as text, and the public one as SSH writes it."""
    import io

    key = paramiko.ECDSAKey.generate()
    text = io.StringIO()
    key.write_private_key(text)
    return text.getvalue(), key.asbytes()


@dataclass(frozen=True)
class DatabaseServer:
    """A PostgreSQL server; `url` is the address of its database `game` without a password."""

    port: int
    user: str = "zerrit"
    secret: str = "deep water"

    @property
    def url(self) -> str:
        return f"postgresql://{self.user}@127.0.0.1:{self.port}/game"

    def run(self, *statements: str) -> list[tuple[Any, ...]]:
        """Run statements as another program would; the rows of the last one."""
        with psycopg.connect(
            host="127.0.0.1", port=self.port, user=self.user, password=self.secret, dbname="game"
        ) as connection:
            for statement in statements:
                cursor = connection.execute(statement)  # type: ignore[call-overload]
            return cursor.fetchall() if cursor.description else []


@contextmanager
def postgresql() -> Iterator[DatabaseServer]:
    """Debian's PostgreSQL; it does not run for root, so it has a folder and a user of its own then."""
    programs = sorted(Path("/usr/lib/postgresql").glob("*/bin"))[-1]
    user = "postgres" if os.geteuid() == 0 else None
    server = DatabaseServer(free_port())
    work = Path(tempfile.mkdtemp(prefix="zerrit-postgresql-"))
    if user is not None:
        shutil.chown(work, user)
    (work / "password").write_text(server.secret)
    (work / "password").chmod(0o644)
    made = ["--auth=scram-sha-256", f"--username={server.user}", f"--pwfile={work / 'password'}", "--encoding=UTF8"]
    try:
        subprocess.run(
            [programs / "initdb", *made, "--no-sync", "--no-locale", work / "data"],
            check=True,
            user=user,
            cwd=work,
            capture_output=True,
        )
        settings = ["fsync=off", "listen_addresses=127.0.0.1", f"unix_socket_directories={work}", f"port={server.port}"]
        with (work / "log").open("wb") as log:
            process = subprocess.Popen(
                [programs / "postgres", "-D", work / "data", *(part for one in settings for part in ("-c", one))],
                user=user,
                cwd=work,
                stderr=log,
                stdout=log,
            )
        try:
            _await(server.port, process)
            _make_database(server)
            yield server
        finally:
            process.send_signal(signal.SIGINT)  # without waiting for those who are connected
            process.wait(20)
    finally:
        shutil.rmtree(work, ignore_errors=True)


def _make_database(server: DatabaseServer) -> None:
    """The port is open some moments before anyone is let in."""
    deadline = time.monotonic() + 20
    while True:
        try:
            connection = psycopg.connect(
                host="127.0.0.1",
                port=server.port,
                user=server.user,
                password=server.secret,
                dbname="postgres",
                autocommit=True,
            )
            break
        except psycopg.OperationalError:
            assert time.monotonic() < deadline, "PostgreSQL lets no one in"
            time.sleep(0.05)
    with connection:
        connection.execute("CREATE DATABASE game")
