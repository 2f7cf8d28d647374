"""The circuit of a unit as nodes and branches: wired from the nameplate, solved, and probed like with a meter."""
