"""The colour library of Upwelling: computation and the rules of the job, without any interface code."""
