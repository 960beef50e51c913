"""Following a shape over the frames of a movie."""

from upwelling.core.follow.follower import MODELS, Follower, Lost, Model, Stand

__all__ = ["MODELS", "Follower", "Lost", "Model", "Stand"]
