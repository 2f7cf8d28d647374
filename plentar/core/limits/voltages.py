"""From which volts a place counts as live, and what a known live source and a sound frame read."""

__all__ = ["CONTROL_LIVE_VOLTS", "FRAME_SHARE", "FRAME_VOLTS", "LEG_VOLTS", "LIVE_SOURCE_VOLTS", "LIVE_VOLTS"]

# A leg of a split-phase service to ground [V]; docs/trade.md, section 1.
LEG_VOLTS = 120.0
# A leg's own reading to the frame shows the frame when it is at least this share of what the leg stands above ground:
# half a lost bond still lets a meter show some volts, four fifths of them it does not.
FRAME_SHARE = 0.8
# The same of another source's leg [V].
FRAME_VOLTS = FRAME_SHARE * LEG_VOLTS
# What a known live source may read [V]: below lies no leg in use (120 V less a quarter), above no line (277 V).
LIVE_SOURCE_VOLTS = (90.0, 320.0)
# For drawing only, never for dead [V]: above what strays couple in, and above half of a weak 24 V.
LIVE_VOLTS, CONTROL_LIVE_VOLTS = 30.0, 12.0
