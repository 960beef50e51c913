"""Following a shape over the frames of a movie."""

from upwelling.core.follow.follower import MODELS, Follower, Lost, Model, Stand, led_to

__all__ = ["MODELS", "Follower", "Lost", "Model", "Stand", "led_to"]
