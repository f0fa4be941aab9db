"""The four pages in the order in which the work goes, with their titles."""

PAGE_TITLES = {"find": "Find", "desk": "Desk", "record": "Record", "handover": "Hand over"}
