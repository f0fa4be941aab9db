"""Records and data together: what data tells a record, one held against the other, many records, saving, handing on."""
