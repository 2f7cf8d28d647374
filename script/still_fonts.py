"""Writes one weight of a variable font as plain TrueType: the PDF maker embeds that without unpacking or reshaping."""

import sys

from fontTools.ttLib import TTFont
from fontTools.varLib.instancer import instantiateVariableFont


def main() -> None:
    """Take `variable.woff2 weight out.ttf`."""
    source, weight, out = sys.argv[1:]
    font = TTFont(source, recalcTimestamp=False)
    still = instantiateVariableFont(font, {"wght": float(weight)}, updateFontNames=False)
    still.flavor = None
    still.save(out)


if __name__ == "__main__":
    main()
