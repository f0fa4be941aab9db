"""`brisk-atlas depot`: post layers, offer them through outlets, invite people, and serve all that."""

from __future__ import annotations

import argparse
import sys
from datetime import UTC, datetime
from pathlib import Path
from typing import TYPE_CHECKING

from brisk_atlas.core.depot.postings.rights import LOCAL
from brisk_atlas.core.model.language import tr

if TYPE_CHECKING:
    from brisk_atlas.core.depot.openid import OpenIdProvider
    from brisk_atlas.core.depot.postings.depot_store import DepotStore
    from brisk_atlas.core.depot.postings.outlet import OutletField
    from brisk_atlas.core.depot.postings.rights import Right
    from brisk_atlas.core.depot.postings.store_database import StoreDatabase
    from brisk_atlas.core.record.model import Record

USUAL_PORT = 8720
FILES = "files"  # in the folder of a Depot


def parser() -> argparse.ArgumentParser:
    made = argparse.ArgumentParser(
        prog="brisk-atlas depot", description=tr("One source for colleagues and for everybody.")
    )
    deeds = made.add_subparsers(dest="deed", required=True, metavar="DEED")

    def deed(name: str, words: str) -> argparse.ArgumentParser:
        each = deeds.add_parser(name, help=words, description=words)
        each.add_argument(
            "--store", type=Path, metavar="DIR",
            help=tr("the folder of the Depot; with --database, the folder of its grids and clouds"),
        )  # fmt: skip
        each.add_argument("--database", metavar="ADDRESS",
                          help=tr("a PostgreSQL database with PostGIS, such as postgresql://depot@db.example/survey, "
                               "which several of these may serve at once"))  # fmt: skip
        return each

    serve = deed(
        "serve", tr("Serve the outlets until interrupted. The first time it prints the owner's one-time address.")
    )
    serve.add_argument(
        "--host", default="127.0.0.1", help=tr("the address to listen at; this machine alone if not given")
    )
    serve.add_argument(
        "--port", type=int, default=USUAL_PORT, help=tr("{usual_port} if not given", usual_port=USUAL_PORT)
    )
    serve.add_argument("--title", default="Depot", help=tr("what the Depot is called"))
    serve.add_argument("--certificate", type=Path, metavar="PEM", help=tr("for TLS, with --key"))
    serve.add_argument("--key", type=Path, metavar="PEM", help=tr("the private key of the certificate"))
    serve.add_argument(
        "--allow-origin", nargs="*", default=[], metavar="ORIGIN",
        help=tr("sites whose pages may read what is for everybody, such as https://maps.example"),
    )  # fmt: skip
    serve.add_argument(
        "--openid", metavar="ISSUER", help=tr("have people sign in by their accounts at this address too")
    )
    serve.add_argument("--openid-client", metavar="ID", help=tr("how the Depot is known there"))
    serve.add_argument(
        "--openid-secret", type=Path, metavar="FILE", help=tr("the file with the secret that goes with it")
    )
    serve.add_argument("--openid-name", default="", metavar="NAME", help=tr("what it is called on pages"))
    post = deed("post", tr("Post a layer. Nobody sees it before it is offered."))
    post.add_argument("source", metavar="PATH[#PART]", help=tr("the layer, a record (.xml), or an album (.html)"))
    post.add_argument("--title", default="", help=tr("its title; the layer's name if not given"))
    replace = deed(
        "replace", tr("Have a posting have other rows, or be another file, from now on, or have another record.")
    )
    replace.add_argument("posting", help=tr("its id"))
    replace.add_argument("source", metavar="PATH[#PART]", help=tr("the layer or file; a record where it ends in .xml"))
    offer = deed("offer", tr("Offer a posting through an outlet, or change one by --id."))
    offer.add_argument("posting", help=tr("its id, as `list` prints it"))
    offer.add_argument("--title", required=True, help=tr("the title of the outlet"))
    who = tr("who may do what: read, add, change, delete; the circle `everybody` is of all")
    offer.add_argument("--to", nargs="+", required=True, metavar="CIRCLE:RIGHT[,RIGHT]", help=who)
    offer.add_argument("--fields", nargs="+", metavar="FIELD[=NAME][:DECIMALS]", help=tr("all if not given"))
    offer.add_argument("--where", default="", help=tr("the rows, by an SQL condition"))
    offer.add_argument(
        "--area", metavar="XMIN,YMIN,XMAX,YMAX", help=tr("features that lie in it, in the posting's CRS")
    )
    offer.add_argument("--bands", nargs="+", type=int, default=[], metavar="N", help=tr("of a grid, counted from 1"))
    offer.add_argument(
        "--blur", type=float, default=0.0, metavar="SIZE", help=tr("put coordinates on a grid of this size")
    )
    offer.add_argument("--own-rows", action="store_true", help=tr("rows are changed by those alone who added them"))
    offer.add_argument("--until", metavar="YYYY-MM-DD", help=tr("the day on which it ends"))
    offer.add_argument(
        "--services", nargs="*", metavar="SERVICE",
        help=tr("features, maps, tiles, coverages, catalogue; all if not given, its page alone if none is named"),
    )  # fmt: skip
    offer.add_argument(
        "--downloads", nargs="*", metavar="FORMAT",
        help=tr("gpkg, geojson, csv, shapefile, kml, flatgeobuf, geoparquet; of tables csv, xlsx, parquet; of grids "
                "and clouds file; all if not given, none if none is named"),
    )  # fmt: skip
    offer.add_argument("--id", default="", help=tr("the id of the outlet in addresses"))
    invite = deed("invite", tr("Print a secret by which one account can be made at /join/SECRET within a week."))
    invite.add_argument("--circle", nargs="*", default=[], help=tr("the circles that the account will be in"))
    invite.add_argument("--owner", action="store_true", help=tr("it will own the Depot"))
    circle = deed("circle", tr("Put accounts into a circle or take them out of it, and print who is in it."))
    circle.add_argument("circle", help=tr("its name"))
    circle.add_argument("--add", nargs="*", default=[], metavar="ACCOUNT")
    circle.add_argument("--remove", nargs="*", default=[], metavar="ACCOUNT")
    token = deed("token", tr("Print a token by which a script acts for an account."))
    token.add_argument("account")
    token.add_argument("--label", required=True, help=tr("what it is for"))
    token.add_argument("--scope", default="read", metavar="RIGHT[,RIGHT]", help=tr("read, add, change, delete"))
    token.add_argument("--until", required=True, metavar="YYYY-MM-DD", help=tr("the day on which it ends"))
    history = deed("history", tr("Print what was done to the rows of a posting."))
    history.add_argument("posting", help=tr("its id"))
    history.add_argument("--last", type=int, default=100, metavar="N", help=tr("so many edits; 100 if not given"))
    undo = deed("undo", tr("Take back an edit, by its number in `history`."))
    undo.add_argument("posting", help=tr("its id"))
    undo.add_argument("edit", type=int, metavar="NUMBER")
    deed("list", tr("Print the postings and outlets."))
    deed("audit", tr("Print who did what."))
    withdraw = deed("withdraw", tr("Remove a posting with its outlets, rows and history, or one outlet."))
    withdraw.add_argument("id", help=tr("of the posting or the outlet"))
    return made


def main(arguments: list[str]) -> int:
    """Do what is asked; returns the exit code."""
    asked = parser().parse_args(arguments)
    if asked.store is None and asked.database is None:
        parser().error(tr("state the Depot: --store DIR, or --database ADDRESS"))
    from brisk_atlas.core.depot.postings.depot_store import DepotStore, NotAllowed
    from brisk_atlas.core.depot.postings.outlet import BadOutlet
    from brisk_atlas.core.depot.postings.people import BadAccount
    from brisk_atlas.core.depot.postings.posted_rows import BadRow, RowGone, UndoConflict
    from brisk_atlas.core.model import AtlasError

    try:
        store = DepotStore(_place(asked))
        try:
            return _DEEDS[asked.deed](store, asked)
        finally:
            store.close()
    except (AtlasError, BadAccount, BadOutlet, BadRow, NotAllowed, UndoConflict, ValueError) as error:
        print(" ".join(str(error).split()), file=sys.stderr)
    except RowGone as error:
        print(tr("There is no edit {number}. `depot history` prints what there is.", number=error.args[0]),
              file=sys.stderr)  # fmt: skip
    except KeyError as error:
        print(tr("There is no {name} in this Depot. `depot list` prints what there is.", name=error.args[0]),
              file=sys.stderr)  # fmt: skip
    return 1


def _place(asked: argparse.Namespace) -> Path | StoreDatabase:
    """Return the folder or the database that is asked for."""
    if asked.database is None:
        return Path(asked.store)
    from brisk_atlas.core.depot.postings.postgres_store import PostgresStore

    return PostgresStore(asked.database, asked.store / FILES if asked.store is not None else None)


def _serve(store: DepotStore, asked: argparse.Namespace) -> int:
    from brisk_atlas.core.depot.served_addresses import address_lines
    from brisk_atlas.core.depot.serving import postings_server

    base = f"{'https' if asked.certificate else 'http'}://{asked.host}:{asked.port}"
    secret = store.people.invite(by=LOCAL, owner=True) if store.people.is_new() else ""
    for line in address_lines(base, secret):
        print(line, flush=True)
    postings_server(
        store, asked.title, asked.host, asked.port, certificate=asked.certificate, key=asked.key,
        allowed=asked.allow_origin, openid=_provider(asked),
    ).run()  # fmt: skip
    return 0


def _provider(asked: argparse.Namespace) -> OpenIdProvider | None:
    """Return where people sign in too. Raises ValueError."""
    if asked.openid is None:
        return None
    from urllib.parse import urlsplit

    from brisk_atlas.core.depot.openid import OpenIdProvider

    if not asked.openid_client or asked.openid_secret is None:
        raise ValueError(tr("--openid needs --openid-client and --openid-secret"))
    try:
        secret = asked.openid_secret.read_text("utf-8").strip()
    except OSError as error:
        raise ValueError(
            tr("{openid_secret} can't be read ({strerror})", openid_secret=asked.openid_secret, strerror=error.strerror)
        ) from None
    return OpenIdProvider(asked.openid, asked.openid_client, secret,
                          asked.openid_name or urlsplit(asked.openid).netloc)  # fmt: skip


def _post(store: DepotStore, asked: argparse.Namespace) -> int:
    from brisk_atlas.core import read
    from brisk_atlas.core.depot.postings.outlet_record import record_text
    from brisk_atlas.core.depot.postings.post_flow import post_flow
    from brisk_atlas.core.handover.flows import RowFlow
    from brisk_atlas.core.handover.record_handed import record_of_source
    from brisk_atlas.core.handover.sources import FileSources, flow_of_part, one_part, source_name
    from brisk_atlas.core.model import DataKind

    if asked.source.lower().endswith(".html"):
        from brisk_atlas.core.depot.offering import offer_album

        page = Path(asked.source)
        print(offer_album(store, page, asked.title or page.stem, "", (), by=LOCAL).id)
        return 0
    ref = FileSources().ref(asked.source)
    dataset = read.open(ref)
    if dataset.kind is DataKind.RECORD:
        record = _record_in(ref.path)
        title = asked.title or record.title or ref.stem
        print(store.post_record(title, record_text(record), owner=LOCAL, summary=record.abstract).id)
        return 0
    part = one_part(dataset, ref)
    flow = flow_of_part(part, source_name(part))
    title = asked.title or source_name(part)
    if not isinstance(flow, RowFlow):
        from brisk_atlas.core.depot.offering import offer_file

        print(offer_file(store, flow, title, "", (), by=LOCAL).id)
        return 0
    stated = record_text(record_of_source(ref, title).record)
    shapes = part.facts.geometry_type or "Unknown"
    posting = post_flow(store, flow, title, owner=LOCAL, geometry_type=shapes, record=stated)
    print(posting.id)
    return 0


def _record_in(path: Path) -> Record:
    from brisk_atlas.core.record.document import read_document

    return read_document(path).record


def _replace(store: DepotStore, asked: argparse.Namespace) -> int:
    from brisk_atlas.core.depot.postings.outlet_record import record_text

    if asked.source.lower().endswith(".xml"):
        store.replace_record(asked.posting, record_text(_record_in(Path(asked.source))), by=LOCAL)
        return 0
    posting = store.posting(asked.posting)
    if posting.has_rows:
        from brisk_atlas.core.depot.recipe_target import replace_rows
        from brisk_atlas.core.handover.sources import FileSources

        added, deleted = replace_rows(store, posting, FileSources().flow(asked.source))
        print(tr("{added:,} rows added, {deleted:,} deleted", added=added, deleted=deleted))
        return 0
    if posting.is_album:
        from brisk_atlas.core.depot.offering import check_album

        check_album(Path(asked.source))
    store.replace_file(asked.posting, Path(asked.source), by=LOCAL)
    return 0


def _history(store: DepotStore, asked: argparse.Namespace) -> int:
    for edit in store.rows(asked.posting).last_edits(asked.last)[::-1]:
        undone = tr(", takes back {number}", number=edit.undoes) if edit.undoes is not None else ""
        print(f"{edit.number}  {edit.at}  {edit.account or '-'}  {edit.deed} {edit.row}{undone}")
    return 0


def _undo(store: DepotStore, asked: argparse.Namespace) -> int:
    from brisk_atlas.core.depot.postings.rights import Identity

    store.undo(asked.posting, asked.edit, Identity(LOCAL, is_owner=True))
    return 0


def _circle(store: DepotStore, asked: argparse.Namespace) -> int:
    for account in asked.add:
        store.people.put_into(asked.circle, account, by=LOCAL)
    for account in asked.remove:
        store.people.take_out_of(asked.circle, account, by=LOCAL)
    print(", ".join(store.people.circles().get(asked.circle, [])) or tr("nobody"))
    return 0


def _token(store: DepotStore, asked: argparse.Namespace) -> int:
    from brisk_atlas.core.depot.postings.rights import Right

    until = datetime.fromisoformat(asked.until).replace(tzinfo=UTC)
    print(store.people.make_token(asked.account, asked.label, frozenset(map(Right, asked.scope.split(","))), until))
    return 0


def _offer(store: DepotStore, asked: argparse.Namespace) -> int:
    from brisk_atlas.core.depot.postings.outlet import Outlet, OutletField
    from brisk_atlas.core.depot.postings.outlet_ways import ALL_SERVICES, OfferedService
    from brisk_atlas.core.model import AtlasError

    posting = store.posting(asked.posting)
    fields = [_field(text) for text in asked.fields] if asked.fields else [
        OutletField(each.name, each.name) for each in posting.fields]  # fmt: skip
    area = None
    if asked.area:
        try:
            xmin, ymin, xmax, ymax = map(float, asked.area.split(","))
        except ValueError:
            raise ValueError(tr("{area} is not XMIN,YMIN,XMAX,YMAX", area=asked.area)) from None
        area = xmin, ymin, xmax, ymax
    until = datetime.fromisoformat(asked.until).replace(tzinfo=UTC) if asked.until else None
    outlet = Outlet(
        asked.id, posting.id, asked.title, tuple(fields), tuple(_given(text) for text in asked.to), "", asked.where,
        area, asked.blur, asked.own_rows, until, bands=tuple(asked.bands),
        services=ALL_SERVICES if asked.services is None else tuple(map(OfferedService, asked.services)),
        downloads=None if asked.downloads is None else tuple(asked.downloads),
    )  # fmt: skip
    made = store.offer(outlet, by=LOCAL)
    if posting.file:
        from brisk_atlas.core.depot.outlet_file import file_shown

        try:
            file_shown(store, made, posting)
        except AtlasError:
            store.close_outlet(made.id, by=LOCAL)
            raise
    print(made.id)
    return 0


def _field(text: str) -> OutletField:
    """Return the field that `depth=tiefe:1` means."""
    from brisk_atlas.core.depot.postings.outlet import OutletField

    head, colon, decimals = text.rpartition(":")
    if not colon or not decimals.isdigit():
        head, decimals = text, ""
    source, _, name = head.partition("=")
    return OutletField(source, name or source, int(decimals) if decimals else None)


def _given(text: str) -> tuple[str, frozenset[Right]]:
    """Return the circle and the rights that `team:read,add` means."""
    from brisk_atlas.core.depot.postings.rights import Right

    circle, _, rights = text.partition(":")
    return circle, frozenset(Right(each) for each in (rights or "read").split(","))


def _invite(store: DepotStore, asked: argparse.Namespace) -> int:
    print(store.people.invite(asked.circle, by=LOCAL, owner=asked.owner))
    return 0


def _list(store: DepotStore, asked: argparse.Namespace) -> int:
    for posting in store.postings:
        kind = posting.file or posting.geometry_type or (tr("record") if posting.is_record else tr("table"))
        print(tr("{name}: {title}, {kind}, {count:,} fields, {crs}", name=posting.id, title=posting.title, kind=kind,
                 count=len(posting.fields), crs=posting.crs or tr("no CRS")))  # fmt: skip
        load = store.load.a_minute()
        for outlet in store.outlets:
            if outlet.posting == posting.id:
                given = "; ".join(tr("{circle} may {rights}", circle=circle, rights=", ".join(sorted(rights)))
                                  for circle, rights in outlet.rights)  # fmt: skip
                print(tr("  {name}: {title}, {count:,} fields; {given}; {load:.1f} questions a minute", name=outlet.id,
                         title=outlet.title, count=len(outlet.fields), given=given,
                         load=load.get(outlet.id, 0.0)))  # fmt: skip
    return 0


def _audit(store: DepotStore, asked: argparse.Namespace) -> int:
    for entry in store.people.audit():
        print(f"{entry.at}  {entry.account or '-'}  {entry.deed}  {entry.about}".rstrip())
    return 0


def _withdraw(store: DepotStore, asked: argparse.Namespace) -> int:
    if any(outlet.id == asked.id for outlet in store.outlets):
        store.close_outlet(asked.id, by=LOCAL)
    else:
        store.withdraw(asked.id, by=LOCAL)
    return 0


_DEEDS = {"serve": _serve, "post": _post, "replace": _replace, "offer": _offer, "invite": _invite, "circle": _circle,
          "token": _token, "list": _list, "history": _history, "undo": _undo, "audit": _audit,
          "withdraw": _withdraw}  # fmt: skip
