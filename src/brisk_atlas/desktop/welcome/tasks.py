"""Which task of the guide a page's help begins with."""

PAGE_TASKS = {
    "find": "Know what a dataset is before opening it",
    "desk": "Look around the map",
    "record": "Read, check and mend records",
    "handover": "Hand a piece over",
}
