"""What a reading is worth: one file a subject; `verdict.judge` finds the one that judges a reading."""
