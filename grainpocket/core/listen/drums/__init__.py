"""Which drum each onset is, by the record's own templates and dictionary; soft masks; clean hits."""
