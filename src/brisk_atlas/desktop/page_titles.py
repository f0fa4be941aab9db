"""The four pages in the order in which the work goes, with their titles."""

from brisk_atlas.core.model.language import tr

PAGE_TITLES = {"find": tr("Find"), "desk": tr("Desk"), "record": tr("Record"), "handover": tr("Hand over")}
