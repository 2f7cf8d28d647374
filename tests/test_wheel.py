"""What is installed is what was built: the wheel, in an environment of its own, answers every route."""

import os
import shutil
import subprocess
import sys
import sysconfig
import venv
from pathlib import Path
from zipfile import ZipFile

from sqlalchemy import Engine, text

from tests import ROOT
from tests.application import PASSWORD, ShopOf

ASK = """
import sys
from pathlib import Path
import plentar
assert Path(plentar.__file__).is_relative_to(sys.argv[1]), plentar.__file__
from flask import url_for
from plentar.wsgi import app
from uuid import UUID
app.config["WTF_CSRF_ENABLED"] = False
client = app.test_client()
client.post("/sign-in", data={"email": sys.argv[4], "password": sys.argv[5]})
known = {"call_id": UUID(sys.argv[2]), "unit_id": UUID(sys.argv[3]), "filename": "keys.js", "page": "blower"}
known["step"] = "meter"
asked = 0
for rule in app.url_map.iter_rules():
    if "GET" not in rule.methods:
        continue
    known["page"] = "circuit" if rule.endpoint.startswith("feed.") else "blower"
    with app.test_request_context():
        path = url_for(rule.endpoint, **{name: known.get(name, UUID(int=7)) for name in rule.arguments})
    unknown = {name for name in rule.arguments if name not in known}
    needs_more = unknown or rule.endpoint in ("feed.heat_pump_svg", "practice.case_from_call")
    with client.get(path) as answer:
        assert answer.status_code in ((404,) if needs_more else (200, 302)), (path, answer.status_code)
    asked += 1
print(asked)
"""


def test_the_installed_wheel_answers_every_route(
    engine: Engine, database_url: str, shop: ShopOf, tmp_path: Path
) -> None:
    """Drawings, styles, migrations and all, without the source tree beside it; asked by a lead, who may ask all."""
    with engine.begin() as connection:
        connection.execute(text("update person set role = 'lead' where id = :id"), {"id": shop.person.id})
    built = tmp_path / "built"
    wheel_command = [sys.executable, "-m", "pip", "wheel", "--no-deps", "--no-build-isolation", "-q", "-w", str(built)]
    source = tmp_path / "source"
    source.mkdir()
    for name in ("plentar", "requirements"):
        shutil.copytree(ROOT / name, source / name, ignore=shutil.ignore_patterns("__pycache__"))
    shutil.copy(ROOT / "pyproject.toml", source)
    subprocess.run([*wheel_command, str(source)], check=True)
    [wheel] = built.glob("*.whl")
    home = tmp_path / "home"
    venv.create(home, with_pip=False)
    packages = home / sysconfig.get_path("purelib", vars={"base": str(home)})
    with ZipFile(wheel) as packed:
        packed.extractall(packages)
    # Everything else it needs is what this run has; as a plain path, so that nothing points back to the source tree.
    (packages / "needs.pth").write_text(sysconfig.get_path("purelib") + "\n")
    environment = {
        "PATH": os.environ["PATH"],
        "PLENTAR_DATABASE_URL": database_url,
        "PLENTAR_SECRET_KEY": "w" * 32,
        "PLENTAR_SECURE_COOKIES": "no",
    }
    ask = tmp_path / "ask.py"
    ask.write_text(ASK)
    arguments = [str(home), str(shop.call_id), str(shop.unit_id), shop.email, PASSWORD]
    told = subprocess.run(
        [home / "bin/python", ask, *arguments],
        cwd=tmp_path,
        env=environment,
        capture_output=True,
        text=True,
        check=False,
    )
    assert told.returncode == 0, told.stderr[-2000:]
    assert int(told.stdout) >= 25
