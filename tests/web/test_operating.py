"""What an operator has: settings in files, a secret replaced, a doctor, a backup that is tried, service files."""

import json
import re
import shutil
import subprocess
from datetime import UTC, datetime, timedelta
from pathlib import Path

import pytest
from click.testing import CliRunner, Result
from flask.sessions import SecureCookieSessionInterface
from itsdangerous import BadSignature
from sqlalchemy import Engine

from plentar.cli import main
from plentar.web.serving.doctor import examine
from plentar.web.serving.settings import Settings, SettingsError
from tests import ROOT
from tests.application import application

DEPLOY = ROOT / "deploy"


def ran(*arguments: str, **environment: str) -> Result:
    """A command's result."""
    return CliRunner().invoke(main, list(arguments), env=environment)


def test_a_secret_may_stand_in_a_file(tmp_path: Path) -> None:
    """Its end of line is no part of it; a file that is not there is named; only serving needs the web secret."""
    key = tmp_path / "key"
    key.write_text("k" * 32 + "\n")
    told = {"PLENTAR_DATABASE_URL": "x", "PLENTAR_SECRET_KEY_FILE": str(key)}
    assert Settings.from_environment(told).secret_key == "k" * 32
    with pytest.raises(SettingsError, match=r"PLENTAR_SECRET_KEY_FILE: .*gone can't be read"):
        Settings.from_environment(told | {"PLENTAR_SECRET_KEY_FILE": str(tmp_path / "gone")})
    with pytest.raises(SettingsError, match="PLENTAR_SECRET_KEY: expected a value"):
        Settings.from_environment({"PLENTAR_DATABASE_URL": "x"})
    assert Settings.from_environment({"PLENTAR_DATABASE_URL": "x"}, serves=False).secret_key == ""


def test_a_replaced_secret_signs_nobody_out(database_url: str) -> None:
    """A cookie of the old key is read while that key is named as the old one, and no longer after."""
    old, new = "o" * 32, "n" * 32

    def read_by(cookie: str, *, secret_key: str, old_secret_key: str = "") -> object:
        with application(database_url, secret_key=secret_key, old_secret_key=old_secret_key) as app:
            signer = SecureCookieSessionInterface().get_signing_serializer(app)
            assert signer is not None
            try:
                return signer.loads(cookie)
            except BadSignature:
                return "refused"

    with application(database_url, secret_key=old) as app:
        signer = SecureCookieSessionInterface().get_signing_serializer(app)
        assert signer is not None
        cookie = str(signer.dumps({"sign": "in"}))
    assert read_by(cookie, secret_key=new, old_secret_key=old) == {"sign": "in"}
    assert read_by(cookie, secret_key=new) == "refused"


def test_the_doctor_says_what_to_do(engine: Engine, database_url: str, tmp_path: Path) -> None:
    """All fine with a fresh backup; an old one, an owner that serves and a dead database each with its advice."""
    moment = datetime.now(UTC)
    (tmp_path / "2026-12-01.plentar").write_bytes(b"x")
    settings = Settings(database_url=database_url)
    answer = ran("doctor", "--backups", str(tmp_path), "--json", PLENTAR_DATABASE_URL=database_url)
    found = {entry["what"]: entry for entry in json.loads(answer.output)}
    assert {"database", "clock", "tables", "role", "disk", "origin", "backup"} <= found.keys()
    assert [entry for entry in found.values() if entry["advice"] and entry["what"] != "disk"] == []
    later = {one.what: one for one in examine(settings, engine, backups=tmp_path, now=moment + timedelta(days=3))}
    assert "nightly backup has failed" in later["backup"].advice
    assert "NTP" in later["clock"].advice
    assert "Two roles" in later["role"].advice, "the owner serves"
    dead = ran("doctor", PLENTAR_DATABASE_URL="postgresql://nobody@127.0.0.1:1/none")
    assert dead.exit_code == 1
    assert "not fine" in dead.output.splitlines()[0]


def test_a_backup_is_tried_in_a_scratch_database(database_url: str, engine: Engine, tmp_path: Path) -> None:
    """Its counts are told, no database is left behind, and a broken file is called one."""
    owner = engine.url.render_as_string(hide_password=False)
    file = tmp_path / "shop.plentar"
    around = {"PLENTAR_DATABASE_URL": database_url, "PLENTAR_OWNER_URL": owner}
    assert ran("backup", str(file), **around).exit_code == 0
    told = ran("backup", "--check", str(file), **around)
    assert re.search(r"good, \d+ shops, \d+ units, \d+ calls, [\d,]+ events", told.output), told.output
    with engine.connect() as connection:
        left = connection.exec_driver_sql("select datname from pg_database where datname like 'plentar_check%%'").all()
    assert left == []
    file.write_bytes(file.read_bytes()[:2000])
    assert ran("backup", "--check", str(file), **around).exit_code == 2


def test_the_example_environment_names_every_setting() -> None:
    """deploy/plentar.env.example holds exactly what docs/settings.md lists."""
    example = re.findall(r"^#?(PLENTAR_\w+)=", (DEPLOY / "plentar.env.example").read_text(), re.M)
    assert sorted(example) == sorted(set(re.findall(r"`(PLENTAR_\w+)`", (ROOT / "docs/settings.md").read_text())))


@pytest.mark.skipif(shutil.which("systemd-analyze") is None, reason="no systemd here")
@pytest.mark.parametrize("unit", sorted(path.name for path in (DEPLOY / "systemd").iterdir()))
def test_service_files_are_read_by_systemd(unit: str) -> None:
    """Nothing in them is unknown to it; the program itself is not installed here."""
    asked = ["systemd-analyze", "verify", str(DEPLOY / "systemd" / unit)]
    told = subprocess.run(asked, capture_output=True, text=True, check=False).stderr.splitlines()
    assert [line for line in told if unit in line and "is not executable" not in line] == []


def test_the_version_loads_nothing_heavy() -> None:
    """`plentar --version` imports no core, no database and no web."""
    heavy = "('flask', 'sqlalchemy', 'numpy')"
    code = f"import sys, plentar.cli.group; print([name for name in sys.modules if name.split('.')[0] in {heavy}])"
    told = subprocess.run([str(ROOT / ".venv/bin/python"), "-c", code], capture_output=True, text=True, check=True)
    assert told.stdout.strip() == "[]"
