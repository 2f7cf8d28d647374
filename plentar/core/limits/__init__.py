"""Every limit by name, bands and guard bands, the verdict a value gets: nobody else says what a limit is."""
