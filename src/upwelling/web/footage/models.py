"""Camera, Shot and its history, and Arrival: a file on its way to becoming a shot."""

from __future__ import annotations

from pathlib import Path as FilePath
from typing import Any

from django.conf import settings as conf
from django.db import models
from django.utils import timezone
from django.utils.functional import cached_property

from upwelling.core.count_of import count_of
from upwelling.core.documents import opened, read_stored
from upwelling.core.media import FileFacts, Footage, Reading, open_footage
from upwelling.core.media.decoding import Known, decoding_of
from upwelling.core.media.rates import exact_rate, rate_text, read_rate
from upwelling.core.media.sequence import frames_since_first
from upwelling.core.media.tags import ColourTags
from upwelling.core.media.timecode import Timecode, reel_of
from upwelling.core.path import Correction
from upwelling.core.raw import Development
from upwelling.core.recognise import Remark, SignalFacts, eight_bit_log
from upwelling.web.common.models import Authored
from upwelling.web.footage.card_models import Card
from upwelling.web.footage.decoding import matrix_of, said_of
from upwelling.web.footage.inheritance import Settled, settled
from upwelling.web.footage.layer_models import LayerVersion, SharedLayer
from upwelling.web.footage.look_models import InForce, Look, LookGiven, LookVersion, ShotGroup, looks_of
from upwelling.web.footage.presence import Presence
from upwelling.web.footage.shelf_models import ShelfReference
from upwelling.web.footage.shot_settings import ShotSettings, stored_settings
from upwelling.web.jobs.models import Underway
from upwelling.web.productions.models import Production

__all__ = [
    "Arrival",
    "Camera",
    "Card",
    "LayerVersion",
    "Look",
    "LookGiven",
    "LookVersion",
    "Mark",
    "Presence",
    "SharedChange",
    "SharedLayer",
    "ShelfReference",
    "Shot",
    "ShotGroup",
    "ShotState",
    "SplitPlan",
]
RANGES = [("", "as inherited"), ("full", "full range"), ("legal", "legal range")]


class Camera(models.Model):
    """One camera unit: what its shots share. Empty encoding: each shot's own, or the production's default."""

    production = models.ForeignKey(Production, on_delete=models.CASCADE, related_name="cameras")
    name = models.CharField(max_length=60)
    make = models.CharField(max_length=120, blank=True)
    model = models.CharField(max_length=120, blank=True)
    encoding = models.CharField(max_length=80, blank=True)
    range = models.CharField(max_length=5, blank=True, choices=RANGES)
    matrix = models.CharField(max_length=12, blank=True)
    siting = models.CharField(max_length=12, blank=True)
    development = models.JSONField(null=True, blank=True)
    correction = models.JSONField(null=True, blank=True)
    corrected_from = models.ForeignKey("Shot", null=True, on_delete=models.SET_NULL, related_name="+")
    corrected_to = models.ForeignKey("Shot", null=True, on_delete=models.SET_NULL, related_name="+")
    """The shots that the correction was found with: one of this camera, and what it was matched to."""
    created = models.DateTimeField(default=timezone.now)

    class Meta:
        ordering = ("name",)
        constraints = (models.UniqueConstraint(fields=("production", "name"), name="one_camera_a_name"),)

    def __str__(self) -> str:
        return self.name

    @property
    def raw_development(self) -> Development:
        return (
            read_stored("development", self.name, Development, self.development) if self.development else Development()
        )

    @property
    def own_correction(self) -> Correction | None:
        """What its shots are corrected by between Input and Trim, also while it is switched off; None: by nothing."""
        if not self.correction:
            return None
        return read_stored("camera correction", self.name, Correction, self.correction)

    @cached_property
    def matrix_of_clips(self) -> str:
        """The matrix that all tagged movies of the camera name; empty where none does, or they differ."""
        said = self.shots.filter(kind="movie", ycbcr=True).values_list("facts_json__tags__matrix", flat=True).distinct()
        named = {name for name in said if name}
        return str(named.pop()) if len(named) == 1 else ""


class ShotQuerySet(models.QuerySet["Shot"]):
    """Reads."""

    def with_present(self) -> ShotQuerySet:
        """Shots with their present state, in two queries however many they are."""
        now = ShotState.objects.filter(position=models.F("shot__position"))
        return self.prefetch_related(models.Prefetch("states", queryset=now, to_attr="present"))


_ShotManager = models.Manager.from_queryset(ShotQuerySet)


class KeptShots(_ShotManager):
    """Shots that are not removed; ``every`` has those too."""

    def get_queryset(self) -> Any:
        return super().get_queryset().filter(removed=None)


class Shot(Authored):
    """One file or a range of one, never altered. ``state`` says how surely its encoding is known.

    ``encoding`` and ``range`` empty: inherited from the camera, then the production. ``position`` is the current
    history row.
    """

    class State(models.TextChoices):
        KNOWN = "known", "Known"
        LIKELY = "likely", "Likely"
        UNKNOWN = "unknown", "Unknown"
        CONTRADICTORY = "contradictory", "Contradictory"
        SETTLED = "settled", "Settled by hand"

    production = models.ForeignKey(Production, on_delete=models.CASCADE, related_name="shots")
    camera = models.ForeignKey(Camera, null=True, blank=True, on_delete=models.SET_NULL, related_name="shots")
    group = models.ForeignKey(ShotGroup, null=True, blank=True, on_delete=models.SET_NULL, related_name="shots")
    name = models.CharField(max_length=120)
    original_name = models.CharField(max_length=255)
    file = models.CharField(max_length=1024)
    registered = models.BooleanField(default=False)
    members = models.JSONField(default=list)
    sha256 = models.CharField(max_length=64, db_index=True)
    size_bytes = models.BigIntegerField()
    kind = models.CharField(max_length=10, default="still")
    container = models.CharField(max_length=20)
    codec = models.CharField(max_length=30, blank=True)
    depth = models.CharField(max_length=8)
    integer_depth = models.PositiveSmallIntegerField(default=10)
    width = models.PositiveIntegerField()
    height = models.PositiveIntegerField()
    first_frame = models.PositiveIntegerField(default=0)
    frames = models.PositiveIntegerField(default=1)
    rate = models.FloatField(default=0.0)
    """Frames a second that it was recorded at."""
    runs = models.CharField(max_length=20, blank=True)
    """The rate that it is to run at: empty as recorded, “production”, or a rate."""
    frame = models.PositiveIntegerField(default=0)
    ycbcr = models.BooleanField(default=False)
    matrix = models.CharField(max_length=12, blank=True)
    siting = models.CharField(max_length=12, blank=True)
    raw_profile = models.JSONField(null=True, blank=True)
    facts_json = models.JSONField(default=dict)
    signal_json = models.JSONField(default=dict)
    sidecar = models.JSONField(default=dict)
    notes = models.JSONField(default=list)
    metadata = models.JSONField(default=dict)
    recognition = models.JSONField(default=dict)
    state = models.CharField(max_length=14, choices=State, default=State.UNKNOWN)
    encoding = models.CharField(max_length=80, blank=True)
    range = models.CharField(max_length=5, blank=True, choices=RANGES)
    managed = models.BooleanField(null=True, blank=True)
    chart_corners = models.JSONField(null=True, blank=True)
    known_regions = models.JSONField(default=dict, blank=True)
    """By what it is (white, grey, skin): the region of the picture, and the frame it was marked at."""
    version = models.PositiveIntegerField(default=0)
    position = models.PositiveIntegerField(default=0)
    removed = models.DateTimeField(null=True, blank=True, db_index=True)

    objects = KeptShots()
    every = ShotQuerySet.as_manager()

    class Meta:
        ordering = ("name", "pk")

    def __str__(self) -> str:
        return self.name

    @property
    def disk_path(self) -> FilePath:
        return FilePath(conf.MEDIA_FOLDER if self.registered else conf.FILES) / self.file

    @property
    def footage(self) -> Footage:
        """The open footage; nothing is decoded yet."""
        return open_footage(self.disk_path, [FilePath(conf.MEDIA_FOLDER) / member for member in self.members])

    @property
    def is_raw(self) -> bool:
        return self.raw_profile is not None

    @property
    def runs_at(self) -> float:
        """Frames a second that it plays at, in cuts and deliveries too; each of its frames is shown once."""
        said = self.production.rule_set.rate if self.runs == "production" else self.runs
        return float(read_rate(said)) if said and self.rate else self.rate

    @property
    def last_frame(self) -> int:
        return self.first_frame + self.frames - 1

    @property
    def reel(self) -> str:
        """The reel, as the file says it; empty where it says none."""
        return reel_of(self.metadata)

    @property
    def begins(self) -> str:
        """The timecode of its first frame; empty where the file says none."""
        return self.timecode(self.first_frame)

    def timecode(self, frame: int) -> str:
        """The label of a frame of the file; empty where the file says none, or the labels of its frames are unknown."""
        begins = Timecode.read(str(self.metadata.get("timecode", "")), self.rate)
        begins = begins.at(self.runs_at) if begins else None
        later: int | None = frame
        if self.members and self.kind == "sequence":
            later = frames_since_first([FilePath(member) for member in self.members], frame)
        return "" if begins is None or later is None else str(begins.later(later))

    def frame_said(self, frame: int) -> str:
        """A frame in words: its number, and its timecode and reel where the file says them."""
        said = [text for text in (self.timecode(frame), self.reel and f"reel {self.reel}") if text]
        return f"frame {frame} ({', '.join(said)})" if said else f"frame {frame}"

    @property
    def facts(self) -> FileFacts:
        body = dict(opened("file facts", self.facts_json))
        return FileFacts(**{**body, "tags": ColourTags(**body.get("tags", {})), "notes": tuple(body.get("notes", ()))})

    @property
    def signal(self) -> SignalFacts:
        body = dict(opened("signal facts", self.signal_json))
        return SignalFacts(**{**body, "bars": tuple(body["bars"]), "histogram": tuple(body["histogram"])})

    @property
    def settled(self) -> Settled:
        """Encoding and range in force, and where each comes from."""
        return settled(self)

    @property
    def settled_encoding(self) -> str:
        """The encoding in force, or empty."""
        return self.settled.encoding

    @property
    def is_managed(self) -> bool:
        return self.production.rule_set.managed if self.managed is None else self.managed

    @property
    def remarks(self) -> list[Remark]:
        """What recognition remarked, and what follows from the encoding in force."""
        found = [Remark(**row) for row in self.recognition.get("remarks", [])]
        found += [
            Remark("decoding", f"{row.sentence()}. Set it under More … in Intake if you know better.")
            for row in self.decoding
            if row.guessed and row.what == "Matrix"
        ]
        found += self._rate_remark()
        now = self.settled
        if now.encoding and not self.is_raw:
            extra = eight_bit_log(self.depth, self.production.encoding_named(now.encoding), now.range)
            found = [*found, extra] if extra else found
        return found

    def _rate_remark(self) -> list[Remark]:
        """Where it runs at another rate than the production does, and nobody said so."""
        wanted = self.production.rule_set.rate
        if not wanted or self.runs or not self.rate or exact_rate(self.rate) == read_rate(wanted):
            return []
        return [
            Remark(
                "rate",
                f"Recorded at {rate_text(exact_rate(self.rate))} frames a second, the production runs at {wanted}: it "
                f"keeps its own speed. Under More … it can run at the production’s, at "
                f"{float(read_rate(wanted)) / self.rate * 100:.0f} % of its speed.",
            )
        ]

    @property
    def reading(self) -> Reading:
        """How Y'CbCr planes are decoded under the range in force."""
        siting: Any = said_of(self, "siting")[0]
        return Reading(self.settled.range, matrix_of(self)[0], siting)

    @property
    def decoding(self) -> tuple[Known, ...]:
        """Matrix, range, chroma and rate of what moves, each with how it is known."""
        if not self.facts_json.get("kind"):
            return ()
        return decoding_of(
            self.facts, self.reading, matrix_of(self)[1], said_of(self, "siting")[1], self.rate, self.runs_at
        )

    def timing_by_hand(self, frame: int) -> dict[str, str]:
        """``rate``, and the ``timecode`` of a frame counted by it, where it runs at another rate than the file's."""
        if not self.runs_at or self.runs_at == self.facts_json.get("rate", 0.0):
            return {}
        return {"rate": rate_text(exact_rate(self.runs_at)), "timecode": self.timecode(frame)}

    @property
    def settings(self) -> ShotSettings:
        """The settings at the history's present position; defaults for a shot nobody has touched."""
        listed: list[ShotState] | None = getattr(self, "present", None)
        if listed is None:
            state = self.states.filter(position=self.position).first()
            return stored_settings(state.settings) if state else ShotSettings()
        if "read_settings" not in self.__dict__:  # a list asks for them several times
            self.__dict__["read_settings"] = stored_settings(listed[0].settings) if listed else ShotSettings()
        read: ShotSettings = self.__dict__["read_settings"]
        return read

    def look_in_force(self, chosen: ShotSettings | None = None) -> InForce:
        """The shot's Look, its strength, and where it comes from."""
        return looks_of(self.production).in_force(self, chosen or self.settings)


class ShotState(Authored):
    """One state of a shot's settings. Undo and redo move the shot's position; a new change cuts what lies after it."""

    shot = models.ForeignKey(Shot, on_delete=models.CASCADE, related_name="states")
    position = models.PositiveIntegerField()
    label = models.CharField(max_length=120)
    settings = models.JSONField()
    shared = models.ForeignKey("SharedChange", null=True, on_delete=models.SET_NULL, related_name="states")

    class Meta:
        ordering = ("position",)
        constraints = (models.UniqueConstraint(fields=("shot", "position"), name="one_state_a_position"),)

    def __str__(self) -> str:
        return f"{self.shot}: {self.label}"


class Mark(Authored):
    """A saved state of a shot, to return to or compare with.

    ``kept`` ones are changes that came too late to be saved.
    """

    shot = models.ForeignKey(Shot, on_delete=models.CASCADE, related_name="marks")
    name = models.CharField(max_length=60)
    settings = models.JSONField()
    kept = models.BooleanField(default=False)

    class Meta:
        ordering = ("-pk",)

    def __str__(self) -> str:
        return f"{self.shot}: {self.name}"

    @property
    def shot_settings(self) -> ShotSettings:
        return stored_settings(self.settings)


class SharedChange(Authored):
    """Steps of one shot given to several others in one go, which one undo takes back."""

    production = models.ForeignKey(Production, on_delete=models.CASCADE, related_name="shared_changes")
    source = models.CharField(max_length=120)
    steps = models.CharField(max_length=300)
    undone = models.BooleanField(default=False)
    plan = models.JSONField(default=dict)
    """What a Look's giving is, and to which shots where the worker does it."""
    job = models.ForeignKey("jobs.Job", null=True, on_delete=models.SET_NULL, related_name="+")

    class Meta:
        ordering = ("-pk",)

    def __str__(self) -> str:
        return f"{self.steps} from {self.source}"


class Arrival(Underway):
    """A file between being handed in and being a shot: its progress, or why it was refused."""

    class State(models.TextChoices):
        WAITING = "waiting", "Waiting"
        PROBING = "probing", "Being looked at"
        DONE = "done", "Brought in"
        HERE = "here", "Already here"
        FAILED = "failed", "Refused"

    production = models.ForeignKey(Production, on_delete=models.CASCADE, related_name="arrivals")
    name = models.CharField(max_length=255)
    place = models.CharField(max_length=1024)
    registered = models.BooleanField(default=False)
    members = models.JSONField(default=list)
    state = models.CharField(max_length=8, choices=State, default=State.WAITING)
    shot = models.ForeignKey(Shot, null=True, on_delete=models.SET_NULL, related_name="+")
    card = models.ForeignKey(Card, null=True, on_delete=models.CASCADE, related_name="arrivals")
    camera_name = models.CharField(max_length=60, blank=True)
    """The camera that its shot goes to; empty: none is said."""
    listed = models.BooleanField(default=True)
    """Whether it stands in the list of Intake; a card's report has it in any case."""
    size_bytes = models.BigIntegerField(default=0)
    digests = models.JSONField(default=list)
    """The SHA-256 of each of its files."""
    finished = models.DateTimeField(null=True)

    class Meta:
        ordering = ("pk",)

    def __str__(self) -> str:
        return f"{self.name}: {self.state}"

    @property
    def megabytes(self) -> float:
        return float(self.size_bytes) / 1e6

    @property
    def digest_said(self) -> str:
        """The beginning of its SHA-256, or of how many files it has one."""
        if len(self.digests) > 1:
            return count_of(len(self.digests), "file")
        return f"{self.digests[0][:16]}…" if self.digests else ""

    @property
    def _root(self) -> FilePath:
        return (FilePath(conf.MEDIA_FOLDER) if self.registered else FilePath(conf.FILES)).resolve()

    @property
    def disk_path(self) -> FilePath:
        """Where the file lies; ``place`` is relative, so that the data folder works elsewhere (once it was not)."""
        return self._root / self.place

    @property
    def disk_members(self) -> list[FilePath]:
        """The frames of a sequence."""
        return [self._root / member for member in self.members]


class SplitPlan(models.Model):
    """A long movie's frame-by-frame changes, found once, and the cuts a person has settled so far."""

    shot = models.OneToOneField(Shot, on_delete=models.CASCADE, related_name="split_plan")
    job = models.ForeignKey("jobs.Job", null=True, on_delete=models.SET_NULL, related_name="+")
    strengths = models.JSONField(default=list)

    def __str__(self) -> str:
        return f"Split of {self.shot}"
