"""Opening what values point at: at once beside their data, after asking anywhere else."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QUrl
from PyQt6.QtGui import QDesktopServices

from brisk_atlas.core.model.language import tr

from .notice import Notice

if TYPE_CHECKING:
    from brisk_atlas.core.inspect.attachments import Attachment

    from .drawers.picture_strip import PictureStrip


class AttachmentOpening:
    """Asks by the window's notice, and shows pictures among those of the probe."""

    def __init__(self, notice: Notice, pictures: PictureStrip) -> None:
        self.notice, self.pictures = notice, pictures

    def open(self, attachment: Attachment) -> None:
        """Open what lies beside its data; ask where it lies elsewhere."""
        from brisk_atlas.core.inspect.attachments import AttachmentKind

        if attachment.beside:
            open_outside(attachment.place)
            return
        where = f"on {attachment.host}" if attachment.is_remote else tr("outside its own folder")
        program = "browser" if attachment.is_remote else tr("program for it")
        choices = [(tr("Open in the {program}", program=program), lambda: open_outside(attachment.place))]
        if attachment.kind is AttachmentKind.PICTURE:
            choices.insert(0, (tr("Show it here"), lambda: self.pictures.load(attachment)))
        else:
            choices.append((tr("Leave it"), lambda: None))
        self.notice.offer(tr("The data names {place}, {where}.", place=attachment.place, where=where), choices)


def open_outside(place: str) -> None:
    """Have the desktop open a file or an address."""
    QDesktopServices.openUrl(QUrl(place) if "://" in place else QUrl.fromLocalFile(place))
