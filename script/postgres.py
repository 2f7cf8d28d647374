#!/usr/bin/env python3
"""Runs a private PostgreSQL cluster of this project on loopback; standard library only.

    script/postgres.py start FOLDER    make it if missing, start it if down, print its URL
    script/postgres.py stop FOLDER     stop it
    script/postgres.py serving WORD    print PLENTAR_OWNER_URL as the role that serves, with a password

PostgreSQL refuses to run as root, so root hands the cluster to the system user the server's package made.
"""

import hashlib
import os
import pwd
import shutil
import socket
import subprocess
import sys
from pathlib import Path
from urllib.parse import urlsplit

DATABASE = "plentar"
USER = "plentar"
SERVING_USER = "plentar_app"


def binaries() -> Path:
    """Return the folder of the newest PostgreSQL server installed."""
    found = sorted(Path("/usr/lib/postgresql").glob("*/bin/initdb"), key=lambda p: float(p.parts[-3]))
    if not found:
        sys.exit("PostgreSQL's server is not installed (Debian package: postgresql)")
    return found[-1].parent


def data_folder(folder: Path) -> Path:
    """Return where the cluster's files stand: in the folder or, where root's server user can't get in, outside it."""
    folder.mkdir(parents=True, exist_ok=True)
    data = folder / "data"
    if os.geteuid() == 0:
        reachable = subprocess.run(as_server_user(["test", "-x", str(folder)]), check=False, capture_output=True)
        if reachable.returncode:
            name = hashlib.sha256(str(folder.resolve()).encode()).hexdigest()[:12]
            data = Path("/var/lib/postgresql") / f"plentar-{name}"
    return data


def as_server_user(command: list[str]) -> list[str]:
    """Return the command as the user PostgreSQL may run under."""
    return ["runuser", "-u", "postgres", "--", *command] if os.geteuid() == 0 else command


def run(*command: str) -> None:
    """Run a server command, showing what it said only when it fails."""
    done = subprocess.run(
        as_server_user(list(command)),
        cwd="/",
        check=False,
        text=True,
        stdout=subprocess.PIPE,
        stderr=subprocess.STDOUT,
        stdin=subprocess.DEVNULL,
    )
    if done.returncode:
        sys.exit(f"{' '.join(command)} failed:\n{done.stdout}")


def is_running(data: Path) -> bool:
    """Tell whether the cluster's own server is up."""
    status = subprocess.run(
        as_server_user([str(binaries() / "pg_ctl"), "-D", str(data), "status"]),
        cwd="/",
        check=False,
        capture_output=True,
    )
    return status.returncode == 0


def free_port() -> int:
    """Return a loopback port nobody listens on."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


def preferred_port(wanted: int) -> int:
    """Return the wanted loopback port if nobody listens on it, else a free one."""
    with socket.socket() as probe:
        return free_port() if probe.connect_ex(("127.0.0.1", wanted)) == 0 else wanted


def initialise(data: Path) -> None:
    """Make the cluster: loopback only, one role, UTF-8, no system-wide configuration touched."""
    data.mkdir(parents=True, exist_ok=True, mode=0o700)
    if os.geteuid() == 0:
        server = pwd.getpwnam("postgres")
        os.chown(data, server.pw_uid, server.pw_gid)
    run(str(binaries() / "initdb"), "-D", str(data), "-U", USER, "-E", "UTF8", "--locale=C.UTF-8", "-A", "trust")


def start(folder: Path) -> str:
    """Make and start the cluster as needed; return its URL."""
    data = data_folder(folder)
    if subprocess.run(as_server_user(["test", "-e", str(data / "PG_VERSION")]), cwd="/", check=False).returncode:
        initialise(data)
    port_file = folder / "port"
    if not is_running(data):
        # Where it was before, so that a server that knows the address finds it again.
        before = port_file.read_text().strip() if port_file.exists() else ""
        port = str(preferred_port(int(before)) if before.isdigit() else free_port())
        port_file.write_text(port)
        # A Unix socket path may be too long for a deep folder; loopback is all that is needed.
        options = f"-c listen_addresses=127.0.0.1 -c unix_socket_directories= -p {port}"
        if os.environ.get("PLENTAR_THROWAWAY"):
            options += " -c fsync=off -c synchronous_commit=off -c full_page_writes=off"
        run(str(binaries() / "pg_ctl"), "-D", str(data), "-w", "-o", options, "-l", str(data / "server.log"), "start")
        have = subprocess.run(
            [
                str(binaries() / "psql"),
                "-h",
                "127.0.0.1",
                "-p",
                port,
                "-U",
                USER,
                "-d",
                "postgres",
                "-Atc",
                f"select 1 from pg_database where datname = '{DATABASE}'",  # noqa: S608 - a constant
            ],
            check=True,
            capture_output=True,
            text=True,
        )
        if not have.stdout.strip():
            run(str(binaries() / "createdb"), "-h", "127.0.0.1", "-p", port, "-U", USER, DATABASE)
    return f"postgresql://{USER}@127.0.0.1:{port_file.read_text().strip()}/{DATABASE}"


def stop(folder: Path, *, remove: bool = False) -> None:
    """Stop the cluster if it is up; a throwaway one is removed with its files."""
    data = data_folder(folder)
    if is_running(data):
        run(str(binaries() / "pg_ctl"), "-D", str(data), "-m", "immediate" if remove else "fast", "-w", "stop")
    if remove:
        shutil.rmtree(data, ignore_errors=True)
        shutil.rmtree(folder, ignore_errors=True)


def serving(owner_url: str, password: str) -> str:
    """Return a database's URL for the role that serves it."""
    parts = urlsplit(owner_url)
    where = parts.netloc.rpartition("@")[2]
    return parts._replace(netloc=f"{SERVING_USER}:{password}@{where}").geturl()


def main() -> None:
    """Read the command line."""
    match sys.argv[1:]:
        case ["start", folder]:
            sys.stdout.write(start(Path(folder).resolve()) + "\n")
        case ["stop", folder]:
            stop(Path(folder).resolve())
        case ["serving", password]:
            sys.stdout.write(serving(os.environ["PLENTAR_OWNER_URL"], password) + "\n")
        case ["remove", folder]:
            stop(Path(folder).resolve(), remove=True)
        case _:
            sys.exit(__doc__)


if __name__ == "__main__":
    main()
