"""How Kilnlight's scenes are made: a small path tracer, the rooms, and the bust that is wheeled by. What it makes ships
as pictures in ``upwelling.core.simulate.scenes``; ``python -m scripts.kilnlight.render`` makes them anew.
"""
