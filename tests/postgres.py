"""A real PostgreSQL for the tests: made in a folder, at a port of its own on this machine, killed and started again at will."""

import os
import pwd
import shutil
import socket
import subprocess
from pathlib import Path

import psycopg
from psycopg import sql
from sqlalchemy import NullPool, create_engine

from crisp_hornet.garage.database import migrate
from crisp_hornet.garage.workshop import checked

SERVICE = "postgres"  # the server does not run as root; where the tests do, it gets this user


def binaries():
    """Where the server's programs lie; None where there are none."""
    found = sorted(Path("/usr/lib/postgresql").glob("*/bin/postgres"), key=lambda path: int(path.parts[-3]))
    if found:
        return found[-1].parent
    beside = shutil.which("postgres")
    return Path(beside).parent if beside else None


def free_port():
    with socket.socket() as one:
        one.bind(("127.0.0.1", 0))
        return one.getsockname()[1]


class Server:
    def __init__(self, folder):
        self._bin, self.folder, self.port = binaries(), folder / "data", free_port()
        self._migrated = False
        self._as = [] if os.getuid() else ["runuser", "-u", SERVICE, "--"]
        folder.mkdir(mode=0o755, exist_ok=True)
        if self._as:
            shutil.chown(folder, pwd.getpwnam(SERVICE).pw_name)
        self._run("initdb", "-D", self.folder, "-U", "shop", "-A", "trust", "-E", "UTF8", "--locale=C", "-N")
        self.start()

    def _run(self, program, *arguments):
        done = subprocess.run(
            [*self._as, self._bin / program, *map(str, arguments)],
            capture_output=True, text=True, cwd="/", stdin=subprocess.DEVNULL,
        )  # fmt: skip
        assert done.returncode == 0, done.stdout + done.stderr

    def start(self):
        options = [
            "listen_addresses=127.0.0.1",
            "unix_socket_directories=''",
            "max_connections=30",
            "fsync=off",
        ]  # the machine is not cut
        settings = " ".join([f"-p {self.port}", *(f"-c {one}" for one in options)])
        log = self.folder.parent / "log"
        self._run("pg_ctl", "-D", self.folder, "-w", "-l", log, "-o", settings, "start")

    def kill(self):
        """As a power cut would."""
        self._run("pg_ctl", "-D", self.folder, "-m", "immediate", "-w", "stop")

    def database(self, name, user="shop"):
        return f"postgresql://{user}@127.0.0.1:{self.port}/{name}"

    def make(self, name, like="template1"):
        """A new database; an empty one, but for what the one has that it is ``like``."""
        with psycopg.connect(self.database("postgres"), autocommit=True) as line:
            line.execute(sql.SQL("create database {} template {}").format(*map(sql.Identifier, (name, like))))
        return self.database(name)

    def ready(self, name):
        """A new database with the tables of a shared garage: made by all migrations once, then copied."""
        if not self._migrated:
            engine = create_engine(checked(self.make("migrated")), poolclass=NullPool)
            with engine.begin() as connection:
                migrate(connection)
            self._migrated = True
        return self.make(name, like="migrated")

    def ask(self, name, *statements):
        commands = [part for one in statements for part in ("-c", one)]
        self._run("psql", "-h", "127.0.0.1", "-p", self.port, "-U", "shop", "-d", name, *commands)
