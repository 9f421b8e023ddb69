"""One module per family of sensors, named like the family; its `MODEL` answers for it (`sensing.model`)."""
