"""everything done on a call as events; keys lead with the shop; a shop's own limits

Readings, observations, photos, causes, logs and work of older calls become events in the order they were done. What an
older record called proven dead has no readings to show for it: such a unit is off, treated as live.
"""

import json
from collections.abc import Iterator
from datetime import datetime
from typing import Any
from uuid import UUID, uuid5

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0005"
down_revision = "0004"

KEYED = ("person", "meter", "place", "unit", "call", "part")
# Foreign keys between the tables whose keys change: table, own columns, the table they name.
LINKS = (
    ("unit", ["shop_id", "place_id"], "place"),
    ("call", ["shop_id", "unit_id"], "unit"),
    ("call", ["shop_id", "technician_id"], "person"),
    ("call", ["shop_id", "meter_id"], "meter"),
)
OLD = ("work_item", "current_log", "accepted_cause", "photo", "observation", "reading")
JSONB = postgresql.JSONB(astext_type=sa.Text())
MOMENT = sa.DateTime(timezone=True)


def upgrade() -> None:
    op.create_table(
        "event",
        sa.Column("shop_id", sa.Uuid(), nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("call_id", sa.Uuid(), nullable=False),
        sa.Column("seq", sa.Integer(), nullable=False),
        sa.Column("kind", sa.String(length=20), nullable=False),
        sa.Column("payload", JSONB, nullable=False),
        sa.Column("person_id", sa.Uuid(), nullable=False),
        sa.Column("done_at", MOMENT, nullable=False),
        sa.Column("come_at", MOMENT, nullable=False),
        sa.Column("clock_seconds", sa.Float(), nullable=False),
        sa.CheckConstraint("seq > 0 and clock_seconds >= 0", name=op.f("ck_event_numbers")),
        sa.PrimaryKeyConstraint("shop_id", "id", name=op.f("pk_event")),
    )
    op.add_column("call", sa.Column("seq", sa.Integer(), server_default="0", nullable=False))
    _turn_into_events(op.get_bind())
    op.execute(
        "create table photo_bytes as select p.shop_id, p.id, p.image, p.thumbnail from photo p"
        " join event e on e.shop_id = p.shop_id and e.id = p.id and e.kind = 'photo'"
    )
    op.execute(
        "create table log_samples as select l.shop_id, l.id, l.samples from current_log l"
        " join event e on e.shop_id = l.shop_id and e.id = l.id and e.kind = 'log'"
    )
    for table in OLD:
        op.drop_table(table)
    op.execute("drop function reading_is_evidence()")
    op.rename_table("photo_bytes", "photo")
    op.drop_column("call", "condition")
    op.alter_column("call", "seq", server_default=None)
    _lead_keys_with_the_shop()
    for table in ("photo", "log_samples"):
        for column in ("shop_id", "id", *(("image", "thumbnail") if table == "photo" else ("samples",))):
            op.alter_column(table, column, nullable=False)
        op.create_primary_key(op.f(f"pk_{table}"), table, ["shop_id", "id"])
        op.create_foreign_key(op.f(f"fk_{table}_shop_id_shop"), table, "shop", ["shop_id"], ["id"])
        name = op.f(f"fk_{table}_shop_id_id_event")
        op.create_foreign_key(name, table, "event", ["shop_id", "id"], ["shop_id", "id"])
    op.create_foreign_key(op.f("fk_event_shop_id_shop"), "event", "shop", ["shop_id"], ["id"])
    for column, table in (("call_id", "call"), ("person_id", "person")):
        name = op.f(f"fk_event_shop_id_{column}_{table}")
        op.create_foreign_key(name, "event", table, ["shop_id", column], ["shop_id", "id"])
    op.create_index("uq_event_call_seq", "event", ["shop_id", "call_id", "seq"], unique=True)
    op.create_index(
        "ix_event_temporary",
        "event",
        ["shop_id", "kind"],
        postgresql_where=sa.text("kind in ('temporary', 'temporary-done')"),
    )
    # Events are evidence: whatever the program does, the database refuses to change or drop one.
    op.execute(
        """
        create function event_is_evidence() returns trigger language plpgsql as $$
        begin
            raise exception 'events are append-only: correct or strike out with a later one instead';
        end $$;
        create trigger event_is_evidence before update or delete on event
            for each row execute function event_is_evidence();
        """
    )
    op.create_table(
        "shop_limit",
        sa.Column("shop_id", sa.Uuid(), nullable=False),
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("name", sa.String(length=60), nullable=False),
        sa.Column("figures", JSONB, nullable=True),
        sa.Column("person_id", sa.Uuid(), nullable=False),
        sa.Column("set_at", MOMENT, nullable=False),
        sa.Column("why", sa.Text(), nullable=False),
        sa.ForeignKeyConstraint(["shop_id"], ["shop.id"], name=op.f("fk_shop_limit_shop_id_shop")),
        sa.ForeignKeyConstraint(
            ["shop_id", "person_id"],
            ["person.shop_id", "person.id"],
            name=op.f("fk_shop_limit_shop_id_person_id_person"),
        ),
        sa.PrimaryKeyConstraint("shop_id", "id", name=op.f("pk_shop_limit")),
    )
    op.create_index(op.f("ix_shop_limit_shop_id_name_set_at"), "shop_limit", ["shop_id", "name", "set_at"])


def _link_name(table: str, columns: list[str], other: str) -> str:
    return str(op.f(f"fk_{table}_{'_'.join(columns)}_{other}"))


def _lead_keys_with_the_shop() -> None:
    for table, columns, other in LINKS:
        op.drop_constraint(_link_name(table, columns, other), table, type_="foreignkey")
    for table in KEYED:
        op.drop_constraint(op.f(f"uq_{table}_shop_id_id"), table, type_="unique")
        op.drop_constraint(op.f(f"pk_{table}"), table, type_="primary")
        op.create_primary_key(op.f(f"pk_{table}"), table, ["shop_id", "id"])
    for table, columns, other in LINKS:
        op.create_foreign_key(_link_name(table, columns, other), table, other, columns, ["shop_id", "id"])


def _turn_into_events(bind: sa.Connection) -> None:
    used: set[tuple[UUID, UUID]] = set()
    insert = sa.text(
        "insert into event (shop_id, id, call_id, seq, kind, payload, person_id, done_at, come_at, clock_seconds)"
        " values (:shop_id, :id, :call_id, :seq, :kind, cast(:payload as jsonb), :person_id, :done_at, :come_at, 0)"
    )
    calls = bind.execute(sa.text("select * from call order by shop_id, id")).mappings().all()
    for call in calls:
        rows = sorted(_events_of(bind, call), key=lambda entry: (entry["done_at"], entry["order"]))
        for seq, entry in enumerate(rows, start=1):
            event_id = entry["id"]
            while (call["shop_id"], event_id) in used:
                event_id = uuid5(event_id, entry["kind"])
            used.add((call["shop_id"], event_id))
            bind.execute(
                insert,
                {
                    "shop_id": call["shop_id"],
                    "id": event_id,
                    "call_id": call["id"],
                    "seq": seq,
                    "kind": entry["kind"],
                    "payload": json.dumps(entry["payload"]),
                    "person_id": entry["person_id"],
                    "done_at": entry["done_at"],
                    "come_at": entry.get("come_at", entry["done_at"]),
                },
            )
        bind.execute(
            sa.text("update call set seq = :seq where shop_id = :shop_id and id = :id"),
            {"seq": len(rows), "shop_id": call["shop_id"], "id": call["id"]},
        )


def _events_of(bind: sa.Connection, call: Any) -> Iterator[dict[str, Any]]:
    """Yield every event of one call, each with its place in the order of one moment."""

    def rows(table: str) -> Any:
        query = sa.text(f"select * from {table} where shop_id = :shop_id and call_id = :call_id")  # noqa: S608 - constants
        return bind.execute(query, {"shop_id": call["shop_id"], "call_id": call["id"]}).mappings().all()

    yield _opened(call)
    for row in rows("reading"):
        yield _reading(row)
    for row in rows("observation"):
        yield from _observed(row, call)
    for row in rows("photo"):
        yield _event(row["id"], "photo", row["at"], row["person_id"], {"part": row["part"], "note": row["note"]})
    for row in rows("accepted_cause"):
        yield from _caused(row)
    for row in rows("current_log"):
        yield _logged(row)
    for row in rows("work_item"):
        yield from _worked(row)
    if call["status"] == "closed":
        at = call["closed_at"] or call["scheduled_at"]
        payload = {"outcome": call["outcome"][:1000]}
        yield _event(uuid5(call["id"], "closed"), "closed", at, call["technician_id"], payload, order=9)


def _event(
    event_id: UUID, kind: str, at: datetime, person: UUID, payload: dict[str, Any], order: int = 5
) -> dict[str, Any]:
    return {"id": event_id, "kind": kind, "done_at": at, "person_id": person, "payload": payload, "order": order}


def _opened(call: Any) -> dict[str, Any]:
    stamp = call["condition"]
    payload = {
        "feeds": {name: "off" if state == "proven dead" else state for name, state in stamp["feeds"].items()},
        "control": "off" if stamp["control"] == "proven dead" else stamp["control"],
        "calls": {name: datetime.fromisoformat(at).timestamp() for name, at in stamp["calls"].items()},
        "bypassed": stamp.get("bypassed", False),
    }
    at = datetime.fromisoformat(stamp["changed_at"])
    return _event(uuid5(call["id"], "opened"), "opened", at, call["technician_id"], payload, order=0)


def _condition(old: dict[str, Any]) -> dict[str, Any]:
    return {
        "feeds": [[name, state] for name, state in old.get("feeds", {}).items()],
        "control": old.get("control", "from unit"),
        "calls": [[name, seconds] for name, seconds in old.get("calls", {}).items()],
        "seconds_since_change": old.get("seconds_since_change"),
        "bypassed": old.get("bypassed", False),
    }


def _reading(row: Any) -> dict[str, Any]:
    payload = {
        "point": row["point"],
        "typed": row["typed"],
        "meter": str(row["meter_id"]),
        "supersedes": str(row["supersedes_id"]) if row["supersedes_id"] else "",
        "reason": row["reason"][:200],
        "value": row["value"],
        "meter_uncertainty": row["meter_uncertainty"],
        "counts_uncertainty": row["counts_uncertainty"],
        "condition": _condition(row["condition"]),
    }
    return {**_event(row["id"], "reading", row["taken_at"], row["person_id"], payload), "come_at": row["received_at"]}


def _observed(row: Any, call: Any) -> Iterator[dict[str, Any]]:
    kind, at, person = row["kind"], row["at"], row["person_id"]
    condition = _condition(row["condition"])
    if kind.startswith("run-"):
        run, _, stage = row["about"].partition(":")
        payload = {"deed": kind[4:], "stage": stage, "is_undone": row["state"] == "undone", "run": int(run or 0)}
        yield _event(row["id"], "tap", at, person, payload)
    elif kind in ("safe-gear", "safe-outdoor-off", "safe-capacitor"):
        yield _event(row["id"], "tick", at, person, {"line": kind, "is_done": row["state"] == "done"})
    elif kind.startswith("safe-"):
        words = f"Safe list, as it was kept then: {kind[5:]} {row['about']}, {row['state']}"
        yield _event(row["id"], "note", at, person, {"words": words})
    elif kind == "air":
        yield from _aired(row, call, condition)
    elif kind == "capacitor":
        value = float(json.loads(row["note"])["microfarads"])
        payload = _measured("microfarads:blower.capacitor", value, 0.01 * value, call, condition)
        yield _event(row["id"], "reading", at, person, payload)
    elif kind == "map":
        wires = [{name: str(value) for name, value in entry.items()} for entry in json.loads(row["note"])]
        yield _event(row["id"], "map", at, person, {"wires": wires})
    elif kind not in ("capacitor-out", "conductor-shorted", "bad-start"):
        # Those three were worked out of other rows, and are again.
        state = row["state"] if row["state"] in ("found", "fine") else "undone"
        payload = {"sign": kind, "about": row["about"], "state": state, "note": row["note"], "condition": condition}
        yield _event(row["id"], "seen", at, person, payload)


def _measured(point: str, value: float, half: float, call: Any, condition: dict[str, Any]) -> dict[str, Any]:
    return {
        "point": point,
        "typed": f"{value:g}",
        "meter": str(call["meter_id"]),
        "value": value,
        "meter_uncertainty": half,
        "counts_uncertainty": half,
        "condition": condition,
    }


def _aired(row: Any, call: Any, condition: dict[str, Any]) -> Iterator[dict[str, Any]]:
    figures = json.loads(row["note"])["reading"]
    names = {}
    for side in ("return", "supply"):
        names[side] = uuid5(row["id"], side)
        payload = _measured(f"degf:{side}", figures[f"{side}_degf"], 1.0, call, condition)
        yield _event(names[side], "reading", row["at"], row["person_id"], payload, order=4)
    payload = {
        "return_reading": str(names["return"]),
        "supply_reading": str(names["supply"]),
        "altitude_feet": figures.get("altitude_feet", 0.0),
        "filter": "clean" if row["about"] == "clean" else "as found",
        "condition": condition,
    }
    yield _event(row["id"], "air", row["at"], row["person_id"], payload)


def _caused(row: Any) -> Iterator[dict[str, Any]]:
    payload = {
        "faults": row["faults"],
        "words": row["title"][:200],
        "cause": row["cause"],
        "cause_not_found": row["cause_not_found"] or not row["cause"].strip(),
        "consequence": row["consequence"],
        "title": row["title"],
        "share": row["share"],
    }
    yield _event(row["id"], "cause", row["at"], row["person_id"], payload)
    if row["withdrawn_at"] is not None:
        payload = {"event": str(row["id"]), "reason": "taken back"}
        yield _event(uuid5(row["id"], "void"), "void", row["withdrawn_at"], row["person_id"], payload)


def _logged(row: Any) -> dict[str, Any]:
    settings = row["settings"]
    payload = {
        "name": row["name"],
        "clamp": row["clamp"],
        "source": row["source"],
        "found": row["found"],
        "called_seconds": row["called_seconds"],
        "dropped_seconds": row["dropped_seconds"],
        "supply_volts": row["supply_volts"],
        "is_recording": row["recording_since"] is not None,
        "faults": settings.get("faults", []),
        "seed": settings.get("seed", 1),
        "speed": settings.get("speed", 1),
        "is_hidden": settings.get("hidden", False),
    }
    return _event(row["id"], "log", row["recording_since"] or row["at"], row["person_id"], payload)


def _worked(row: Any) -> Iterator[dict[str, Any]]:
    kind, data, at, person = row["kind"], row["data"], row["at"], row["person_id"]
    payloads: dict[str, dict[str, Any]] = {
        "ledger": {"part": row["about"], "rows": data.get("rows", [])},
        "part": {name: data.get(name) for name in ("name", "minutes", "price")} | {"choice": data.get("choice", "")},
        "approval": {name: data.get(name, "") for name in ("who", "what")},
        "check": {"line": row["about"]},
        "power-back": {"is_confirmed": True},
    }
    if kind in payloads:
        yield _event(row["id"], kind, at, person, payloads[kind])
    elif kind == "temporary":
        payload = {"circuit": row["about"], "due_on": row["due_on"].isoformat(), **data}
        yield _event(row["id"], "temporary", at, person, payload)
        if row["done_at"] is not None:
            done = {"temporary": str(row["id"])}
            yield _event(uuid5(row["id"], "done"), "temporary-done", row["done_at"], person, done)
    elif kind in ("proven", "unproven"):
        payload = {
            "is_proven": kind == "proven",
            "readings": data.get("readings", 0),
            "reason": data.get("reason", ""),
        }
        yield _event(row["id"], "settled", at, person, payload)


def downgrade() -> None:
    """Go back to the older tables, empty: events cannot be told back into them."""
    op.drop_table("shop_limit")
    op.drop_table("log_samples")
    op.drop_table("photo")
    op.drop_table("event")
    op.execute("drop function event_is_evidence()")
    op.drop_column("call", "seq")
    op.add_column("call", sa.Column("condition", JSONB, server_default="{}", nullable=False))
    op.alter_column("call", "condition", server_default=None)
    for table, columns, other in LINKS:
        op.drop_constraint(_link_name(table, columns, other), table, type_="foreignkey")
    for table in KEYED:
        op.drop_constraint(op.f(f"pk_{table}"), table, type_="primary")
        op.create_primary_key(op.f(f"pk_{table}"), table, ["id"])
        op.create_unique_constraint(op.f(f"uq_{table}_shop_id_id"), table, ["shop_id", "id"])
    for table, columns, other in LINKS:
        op.create_foreign_key(_link_name(table, columns, other), table, other, columns, ["shop_id", "id"])
    op.create_table("reading", sa.Column("id", sa.Uuid(), nullable=False), *_columns_of_a_reading())
    index = ["shop_id", "call_id", "received_at"]
    op.create_index(op.f("ix_reading_shop_id_call_id_received_at"), "reading", index)
    op.execute(
        """
        create function reading_is_evidence() returns trigger language plpgsql as $$
        begin
            raise exception 'readings are append-only: supersede with a reason instead';
        end $$;
        create trigger reading_is_evidence before update or delete on reading
            for each row execute function reading_is_evidence();
        """
    )
    text, words, blob = sa.Text(), sa.String(length=120), sa.LargeBinary()
    more: dict[str, dict[str, Any]] = {
        "photo": {"part": words, "note": text, "image": blob, "thumbnail": blob},
        "observation": {"kind": words, "about": words, "state": words, "note": text, "condition": JSONB},
        "accepted_cause": {"faults": JSONB, "title": text, "cause": text, "cause_not_found": sa.Boolean()}
        | {"consequence": text, "share": sa.Float(), "withdrawn_at": MOMENT},
        "current_log": {"name": words, "clamp": words, "source": words, "found": text, "samples": blob}
        | {"called_seconds": sa.Float(), "dropped_seconds": sa.Float(), "supply_volts": sa.Float()}
        | {"settings": JSONB, "recording_since": MOMENT},
        "work_item": {"kind": words, "about": words, "data": JSONB, "due_on": sa.Date(), "done_at": MOMENT},
    }
    nullable = {"share", "withdrawn_at", "called_seconds", "dropped_seconds", "supply_volts", "recording_since"}
    nullable |= {"due_on", "done_at"}
    for table, fields in more.items():
        op.create_table(
            table,
            *(sa.Column(name, sa.Uuid(), nullable=False) for name in ("id", "shop_id", "call_id", "person_id")),
            sa.Column("at", MOMENT, nullable=False),
            *(sa.Column(name, kind, nullable=name in nullable) for name, kind in fields.items()),
            sa.PrimaryKeyConstraint("id", name=op.f(f"pk_{table}")),
            sa.ForeignKeyConstraint(["shop_id", "call_id"], ["call.shop_id", "call.id"]),
        )
        op.create_index(op.f(f"ix_{table}_shop_id_call_id_at"), table, ["shop_id", "call_id", "at"])


def _columns_of_a_reading() -> list[Any]:
    names = ("shop_id", "call_id", "person_id", "meter_id")
    figures = ("value", "meter_uncertainty", "counts_uncertainty")
    return [
        *(sa.Column(name, sa.Uuid(), nullable=False) for name in names),
        sa.Column("point", sa.String(length=160), nullable=False),
        sa.Column("typed", sa.String(length=40), nullable=False),
        *(sa.Column(name, sa.Float(), nullable=False) for name in figures),
        sa.Column("condition", JSONB, nullable=False),
        *(sa.Column(name, MOMENT, nullable=False) for name in ("taken_at", "received_at")),
        sa.Column("supersedes_id", sa.Uuid(), nullable=True),
        sa.Column("reason", sa.Text(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_reading")),
        sa.ForeignKeyConstraint(["shop_id", "call_id"], ["call.shop_id", "call.id"]),
    ]
