"""Pictures and paths measured: banding, renderings compared, cuts, how far two codes look apart."""
