"""When the data of a dataset was taken, by the record that lies with it."""

from __future__ import annotations

import logging

from brisk_atlas.core.model import AtlasError, Dataset
from brisk_atlas.core.read.find_records import find_records
from brisk_atlas.core.record.model import Record

from .layer_time import LayerTime, time_in

log = logging.getLogger(__name__)
EVENTS = ("creation", "publication")  # of the dates of a record, which stand for that of the data


def time_of_record(record: Record) -> LayerTime | None:
    """Return the begin of the time of the content that a record states, else when the data was made, else published."""
    stated = [period.begin for period in record.times]
    stated += [event.day for kind in EVENTS for event in record.dates if event.kind == kind]
    return next((time for text in stated if (time := time_in(text)) is not None), None)


def recorded_time(dataset: Dataset) -> LayerTime | None:
    """Return what the first record of a dataset on the disk states, None without one. Reads the record."""
    if not dataset.ref.is_local:
        return None
    try:
        found = find_records(dataset)[0]
    except AtlasError as error:
        log.info("the record of %s is not read for its date: %s", dataset.ref.name, error)
        return None
    return time_of_record(found[0].document.record) if found else None
