"""Which task of the guide a page's help begins with."""

from brisk_atlas.core.model.language import tr

PAGE_TASKS = {
    "find": tr("Know what a dataset is before opening it"),
    "desk": tr("Look around the map"),
    "record": tr("Read, check and mend records"),
    "handover": tr("Hand a piece over"),
}
