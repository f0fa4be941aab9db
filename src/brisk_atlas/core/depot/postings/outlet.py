"""An outlet: an offer of a posting with its own fields, rows and permissions."""

from __future__ import annotations

import re
from dataclasses import dataclass
from datetime import datetime

from brisk_atlas.core.model import GridStyle, VectorStyle

from .outlet_ways import ALL_SERVICES, FileForm, OfferedService, forms_of
from .posting import Posting
from .rights import ALL_RIGHTS, EVERYBODY, Identity, Right

ID = re.compile(r"[a-z0-9_]{1,64}")


class BadOutlet(ValueError):
    """An outlet that its posting does not allow, with the reason."""


@dataclass(frozen=True)
class OutletField:
    """A field of the posting, as the outlet names it, rounded to `decimals` where that is not None."""

    source: str
    name: str
    decimals: int | None = None


@dataclass(frozen=True)
class Outlet:
    """Which fields and rows of a posting are offered, where, to whom, and until when.

    where : a condition over the posting's own fields
    area : (xmin, ymin, xmax, ymax) in the posting's CRS; features that lie wholly in it are offered, and cells and
        points in it
    blur : the size of the grid that coordinates are put on, in units of the CRS, 0 for none
    rights : what each circle may do
    own_rows : what is changed and deleted must have been added by the same account
    style : how it is drawn; it names fields as the outlet does, None for a plain look
    grid_style : how a grid is drawn
    bands : those of a grid that are offered, counted from 1; all of them for ()
    services : by which it is handed out, beside its page
    downloads : the formats of its files, by their names in addresses; None for all that there are
    """

    id: str
    posting: str
    title: str
    fields: tuple[OutletField, ...]
    rights: tuple[tuple[str, frozenset[Right]], ...]
    summary: str = ""
    where: str = ""
    area: tuple[float, float, float, float] | None = None
    blur: float = 0.0
    own_rows: bool = False
    until: datetime | None = None
    style: VectorStyle | None = None
    grid_style: GridStyle | None = None
    bands: tuple[int, ...] = ()
    services: tuple[OfferedService, ...] = ALL_SERVICES
    downloads: tuple[str, ...] | None = None

    def rights_of(self, who: Identity, now: datetime) -> frozenset[Right]:
        """Return what somebody may do with it now. Whoever may change something may read it."""
        if self.until is not None and now >= self.until and not who.is_owner:
            return frozenset()
        mine = dict(self.rights)
        found = set(ALL_RIGHTS if who.is_owner else mine.get(EVERYBODY, frozenset()))
        for circle in who.circles:
            found |= mine.get(circle, frozenset())
        if found:
            found.add(Right.READ)
        return frozenset(found) & (who.scope | {Right.READ})

    def forms(self, posting: Posting) -> dict[str, FileForm]:
        """Return the formats that it is handed out in, by their names in addresses."""
        known = forms_of(posting)
        return {key: form for key, form in known.items() if self.downloads is None or key in self.downloads}

    def check(self, posting: Posting) -> None:
        """Raise BadOutlet where it does not fit its posting."""
        if self.id and not ID.fullmatch(self.id):
            raise BadOutlet("an id has small letters, digits and _ alone")
        if not posting.has_rows:
            what = "album" if posting.is_album else "file" if posting.file else "record"
            if self.fields or self.where or self.blur:
                raise BadOutlet(f"{posting.title} is a {what}, which has no rows and fields to choose from")
            if not posting.has_data and (self.area is not None or self.bands):
                raise BadOutlet(
                    f"{posting.title} is {'a record' if posting.is_record else 'an album'}, which is offered as it is"
                )
            if self.area is not None and posting.crs is None:
                raise BadOutlet(f"{posting.title} has no CRS that an area could be of")
            if any(number < 1 for number in self.bands):
                raise BadOutlet("bands are counted from 1 on")
            if any(rights - {Right.READ} for _, rights in self.rights):
                raise BadOutlet(f"{posting.title} is a {what}, which can only be read")
        strange = set(self.downloads or ()) - forms_of(posting).keys()
        if strange:
            raise BadOutlet(f"{posting.title} is not handed out as {min(strange)}")
        if OfferedService.FEATURES not in self.services and any(rights - {Right.READ} for _, rights in self.rights):
            raise BadOutlet("whoever changes rows needs the service of features, by which changes are sent")
        known = {field.name for field in posting.fields}
        for each in self.fields:
            if each.source not in known:
                raise BadOutlet(f"{posting.title} has no field {each.source}")
        names = [each.name.casefold() for each in self.fields]
        twice = next((name for name in names if names.count(name) > 1), None)
        if twice is not None:
            raise BadOutlet(f"two fields are called {twice}")
        if any(not name.strip() or name.startswith("__") or '"' in name for name in names):
            raise BadOutlet("a field has no name, or one that begins with __ or has a quotation mark")
        if self.blur < 0:
            raise BadOutlet("the grid that coordinates are put on has a negative size")
        if self.area is not None and not (self.area[0] < self.area[2] and self.area[1] < self.area[3]):
            raise BadOutlet("the area is empty")
        if (self.area is not None or self.blur) and not (posting.has_shapes or posting.file):
            raise BadOutlet(f"{posting.title} has no places")
        if self.bands and not posting.file:
            raise BadOutlet(f"{posting.title} has no bands")
