"""The web application: stores, shows and runs what core computes."""
