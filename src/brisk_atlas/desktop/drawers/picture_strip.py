"""Pictures that values of the probe point at, side by side."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QBuffer, QByteArray, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QIcon, QImage, QImageReader, QPixmap
from PyQt6.QtWidgets import QListView, QListWidget, QListWidgetItem

from brisk_atlas.core.model.language import tr

from ..session import Session

if TYPE_CHECKING:
    from brisk_atlas.core.inspect.attachments import Attachment

PICTURE = QSize(220, 132)
STRIP_PX = 176
MOST = 12  # pictures at once
MOST_PIXELS = 200_000_000  # of a picture that is decoded
FORMATS = (b"png", b"jpeg", b"jpg", b"webp", b"bmp", b"gif")
ATTACHMENT = Qt.ItemDataRole.UserRole


class PictureStrip(QListWidget):
    """Shows pictures as they come; hidden while there are none.

    Signals:
        opened(object): a picture was chosen to be opened, an Attachment.
    """

    opened = pyqtSignal(object)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.setObjectName("probe pictures")
        self.setAccessibleName(tr("Pictures of what was probed"))
        self.setViewMode(QListView.ViewMode.IconMode)
        self.setFlow(QListView.Flow.LeftToRight)
        self.setWrapping(False)
        self.setMovement(QListView.Movement.Static)
        self.setIconSize(PICTURE)
        self.setSpacing(4)
        self.setFixedHeight(STRIP_PX)
        self.itemActivated.connect(lambda item: self.opened.emit(item.data(ATTACHMENT)))
        self._wanted: list[Attachment] = []
        self.hide()

    def show_pictures(self, pictures: list[Attachment]) -> None:
        """Show pictures that may be looked at, in the place of those before."""
        self._wanted = pictures[:MOST]
        self.clear()
        self.setVisible(bool(pictures))
        for picture in self._wanted:
            self.load(picture)

    def load(self, picture: Attachment) -> None:
        """Read a picture in the background and add it."""

        def work(job: object) -> QImage:
            from brisk_atlas.core.inspect.attachments import picture_bytes

            return decoded(picture_bytes(picture))

        def done(image: QImage) -> None:
            if picture in self._wanted:
                self._add(picture, image)

        if picture not in self._wanted:
            self._wanted.append(picture)
        self.session.run(tr("Picture"), work, done, shown=picture.is_remote)

    def _add(self, picture: Attachment, image: QImage) -> None:
        name = picture.place.rstrip("/").rpartition("/")[2]
        item = QListWidgetItem(
            QIcon(QPixmap.fromImage(image)), name if not image.isNull() else tr("{name}: no picture", name=name)
        )
        item.setData(ATTACHMENT, picture)
        item.setToolTip(picture.place)
        before = [self.item(i).data(ATTACHMENT) for i in range(self.count())]  # type: ignore[union-attr]
        at = self._wanted.index(picture)
        self.insertItem(sum(self._wanted.index(each) < at for each in before), item)
        self.show()


def decoded(content: bytes) -> QImage:
    """Return a picture made small, a null one where the bytes are none that is known or one of a senseless size."""
    data = QByteArray(content)
    buffer = QBuffer(data)
    buffer.open(QBuffer.OpenModeFlag.ReadOnly)
    reader = QImageReader(buffer)
    reader.setAutoTransform(True)
    size = reader.size()
    if bytes(reader.format().data()) not in FORMATS or not size.isValid() or size.width() * size.height() > MOST_PIXELS:
        return QImage()
    reader.setScaledSize(size.scaled(PICTURE * 2, Qt.AspectRatioMode.KeepAspectRatio))
    return reader.read()
