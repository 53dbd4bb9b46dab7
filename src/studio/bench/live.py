"""The live socket: a pose or a stroke comes in, packed vertices or colours go out. Latest wins; nothing is stored."""

from __future__ import annotations

import asyncio
import json
import struct
import time
from collections.abc import Awaitable, Callable, Coroutine
from functools import partial
from itertools import islice
from typing import Any

import numpy as np
from channels.db import database_sync_to_async
from channels.layers import get_channel_layer
from django.conf import settings
from numpy.typing import NDArray

from kunstgriff.binding.grip import gripped_at
from kunstgriff.evaluate.frame import Frame, packed
from kunstgriff.evaluate.program import RigProgram
from kunstgriff.evaluate.state import RigState
from kunstgriff.figure.edit import EditRefused
from kunstgriff.figure.pose import Pose, parse_pose
from kunstgriff.paint.painter import PainterMissing
from kunstgriff.trial.live_springs import LiveSprings
from kunstgriff.trial.live_steps import LiveSteps
from kunstgriff.trial.motion import Playback, motion_named, play
from kunstgriff.trial.motion_edits import need_motion
from studio.bench.evaluating import evaluated, program_of, slowly
from studio.bench.live_seams import seam_now
from studio.bench.rights import GONE, SIGNED_OUT, Pass, barred, guard
from studio.bench.seen import Seen
from studio.bench.strokes import Stroke, parse_stroke
from studio.library.models import Figure, Revision
from studio.library.stores import DatabaseStores

Scope = dict[str, Any]
Receive = Callable[[], Awaitable[dict[str, Any]]]
Send = Callable[[dict[str, Any]], Awaitable[None]]

HEADER = struct.Struct("<IIII")  # serial, frame number or NO_FRAME, revision, facing; then sections (evaluate/frame.py)
NO_FRAME, COLOURS = 0xFFFFFFFF, 0xFFFFFFFE
TOO_MUCH = 4429
TURN = 4  # frames of a swing that are made at a turn
FARTHEST_IN = 720  # the frame up to which springs are swung to one that is gone to


class LiveBench:
    """One open bench. Messages in: {"serial", "seen"}, a revision and a facing, with "pose", "swing": true, a "motion"
    by its name if it is another, or "stroke", which is a `paint_weights` edit as far as it has come. A pose may come
    with "seam", a bone: what is read at its joint follows the vertices, as fast as it can be read, of the newest pose.
    With "grip", a part or a group, the frame tells how that is carried, too. With "steps", the frame that a walk has
    come to and perhaps the motion whose ground it goes over, the legs step along; where they went is told as well. With
    "frame", a motion and a frame's number, it is that frame as playing comes to it, springs and all.

    A bench has a rig of its own: of a pose like the last one little is worked out, and only what changed is sent.
    Reading the socket never waits for an answer being made; what came before the newest message is dropped.
    """

    def __init__(self, scope: Scope, receive: Receive, send: Send) -> None:
        self.scope, self.receive_event, self.send_event = scope, receive, send
        self.figure_id = int(scope["url_route"]["kwargs"]["figure_id"])
        self.shown = Seen(0)
        self.rig: RigState | None = None
        self.seen = False  # whether what the browser shows is what the rig was posed in last
        self.latest: dict[str, Any] | None = None
        self.table: Stroke | None = None
        self.steps: LiveSteps | None = None
        self.springs: LiveSprings | None = None
        self.scrub: Playback | None = None  # the motion that is scrubbed
        self.arrived = asyncio.Event()
        self.closed = False
        self.reading: asyncio.Task[None] | None = None
        self.unread: tuple[Seen, str, Pose] | None = None
        self.allowance, self.refilled = float(settings.LIVE_MESSAGES_PER_SECOND), time.monotonic()

    @classmethod
    def as_asgi(cls) -> Callable[[Scope, Receive, Send], Awaitable[None]]:
        """The endpoint: one of these for each socket."""

        async def application(scope: Scope, receive: Receive, send: Send) -> None:
            await cls(scope, receive, send).run()

        return application

    async def run(self) -> None:
        """Serve the socket until either side has enough of it."""
        await self.receive_event()  # the wish to connect
        await self.send_event({"type": "websocket.accept"})
        if not self.scope["user"].is_authenticated:
            await self.close(SIGNED_OUT)
            return
        self.seen_by = Pass(self.scope["session"].session_key, self.figure_id)
        if (code := await self._barred()) is not None:
            await self.close(code)
            return
        ended = guard().watch(self, self.seen_by)
        ended.add_done_callback(lambda done: None if done.cancelled() else self._spawn(self.close(done.result())))
        self.tasks: set[asyncio.Task[None]] = set()
        self._spawn(self._answer())
        self._spawn(self._hear())
        try:
            while (event := await self.receive_event())["type"] != "websocket.disconnect":
                if not self.closed:
                    await self._take(event.get("text"))
        finally:
            guard().leave(self)
            self.closed = True
            for task in (*self.tasks, *([self.reading] if self.reading is not None else [])):
                task.cancel()

    def _spawn(self, work: Coroutine[Any, Any, None]) -> None:
        task = asyncio.get_running_loop().create_task(work)
        self.tasks.add(task)
        task.add_done_callback(self.tasks.discard)

    async def send(self, text: str | None = None, data: bytes | None = None) -> None:
        """Send text or bytes, unless the socket is closed."""
        if not self.closed:
            await self.send_event({"type": "websocket.send", **({"bytes": data} if text is None else {"text": text})})

    async def close(self, code: int) -> None:
        """Close the socket, once."""
        if not self.closed:
            self.closed = True
            await self.send_event({"type": "websocket.close", "code": code})

    async def _take(self, text: str | None) -> None:
        """Keep only the newest message; the answering task takes it when it is free."""
        if not self._within_rate():
            await self.close(TOO_MUCH)
            return
        try:
            message = json.loads(text or "")
            if not isinstance(message, dict) or len(text or "") > settings.LIVE_MESSAGE_LIMIT:
                raise ValueError
        except (ValueError, RecursionError):
            await self._say("The live socket takes JSON objects only.")
            return
        self.latest = message
        self.arrived.set()

    async def _hear(self) -> None:
        """Tell of every edit that someone makes, as long as its reader may know."""
        layer = get_channel_layer()
        if layer is None:
            return
        group, channel = f"figure-{self.figure_id}", await layer.new_channel()
        await layer.group_add(group, channel)
        try:
            while True:
                event = await layer.receive(channel)
                if (code := await self._barred()) is not None:
                    await self.close(code)
                    return
                await self.send(json.dumps({"head": event["revision"]}))
        finally:
            await layer.group_discard(group, channel)

    async def _answer(self) -> None:
        while not self.closed:
            await self.arrived.wait()
            self.arrived.clear()
            message, self.latest = self.latest, None
            if message is None:
                continue
            try:
                await self._answer_one(message)
            except EditRefused as error:
                await self._say(str(error))
            except Revision.DoesNotExist:
                await self.close(GONE)
            except (KeyError, TypeError, ValueError, OverflowError, struct.error):
                await self._say("The live socket did not understand that message.")
            except Exception:  # the database may be away; the bench reconnects by itself
                await self.close(1011)
                raise

    async def _answer_one(self, message: dict[str, Any]) -> None:
        serial, shown = int(message["serial"]), Seen.read(str(message["seen"]))
        if shown.revision != self.shown.revision:
            await database_sync_to_async(self._need_seen)(shown.revision)
        if shown != self.shown:
            self.shown, self.rig = shown, None
        program = await program_of(shown)
        if message.get("swing"):
            await self._play(serial, message.get("motion"))
        elif message.get("stroke"):
            await self.send(data=await slowly(partial(self._stroked, serial, program, message["stroke"])))
        elif message.get("frame") is not None and (data := await self._scrubbed(serial, program, message["frame"])):
            self.springs, self.seen = None, False  # the next pose is told whole
            await self.send(data=data)
        else:
            self.table = None
            pose = parse_pose(message.get("pose", {})).restricted_to(program.posable)
            grip = message["grip"] if message.get("grip") in program.drawn else None
            if (asked := message.get("steps")) is not None:
                stepped = await evaluated(partial(self._stepped, program, pose, asked))
                pose = pose.merged(stepped)
                await self.send(json.dumps({"stepped": stepped.channels}))
            else:
                self.steps = None
            if (asked := message.get("springs")) is not None and grip is None:
                moves, data = await evaluated(partial(self._swung, serial, program, pose, asked))
                await self.send(json.dumps({"swinging": moves}))
            else:
                if self.springs is not None:
                    self.springs, self.seen = None, False
                data = await evaluated(partial(self._posed, serial, program, pose, grip))
            await self.send(data=data)
            self.seen = True
            if message.get("seam") in program.bone_index:
                self.unread = shown, str(message["seam"]), pose
                if self.reading is None or self.reading.done():
                    self.reading = asyncio.create_task(self._read_seams())

    async def _read_seams(self) -> None:
        """Read the seam that was asked for, and go on as long as newer poses have come meanwhile."""
        while self.unread is not None:
            asked, self.unread = self.unread, None
            try:
                told = await database_sync_to_async(seam_now)(*asked)
            except (EditRefused, PainterMissing, Revision.DoesNotExist, TimeoutError):
                continue  # the card says what is the matter with that joint; another may be asked for by now
            await self.send(json.dumps({"seam": {"seen": str(asked[0]), **told}}))

    async def _play(self, serial: int, name: Any) -> None:
        """Send a whole motion, some frames at a turn, until something newer is asked for."""
        self.seen = False
        rig = RigState(await program_of(self.shown))  # its springs go on from frame to frame
        frames = enumerate(play(rig, motion_named(rig.program.figure, name and str(name))))
        while not self.closed and not self.arrived.is_set():
            some = await evaluated(lambda: [_packed(serial, n, self.shown, one) for n, one in islice(frames, TURN)])
            if not some:
                return
            for data in some:
                await self.send(data=data)

    async def _scrubbed(self, serial: int, program: RigProgram, asked: dict[str, Any]) -> bytes | None:
        """A frame of a motion as playing comes to it, springs and all, packed; None for one that is too far in."""
        name, number = str(asked["motion"]), int(asked["number"])
        if not 0 <= number <= FARTHEST_IN:
            return None

        def framed() -> bytes:
            if self.scrub is None or self.scrub.rig.program is not program or self.scrub.motion.name != name:
                self.scrub = Playback(RigState(program), motion_named(program.figure, name))
            return packed(HEADER.pack(serial, NO_FRAME, *self.shown), self.scrub.frame(number).sections)

        return await slowly(framed)

    def _stepped(self, program: RigProgram, pose: Pose, asked: dict[str, Any]) -> Pose:
        """Where the legs have stepped by the frame that is asked for."""
        now, on = float(asked["at"]), asked.get("motion")
        if self.steps is None or self.steps.program is not program or now < self.steps.times[-1]:
            ground = need_motion(program.figure, str(on)).ground if on else ()
            self.steps = LiveSteps(RigState(program), DatabaseStores(), pose, now, ground)
        return self.steps.at(pose, now)

    def _swung(self, serial: int, program: RigProgram, pose: Pose, asked: dict[str, Any]) -> tuple[bool, bytes]:
        """Whether anything still swings at the moment that is asked for, and the pose with it, packed."""
        now = float(asked["at"])
        if self.springs is None or self.springs.rig.program is not program or now < self.springs.now - 1:
            self.springs = LiveSprings(RigState(program), pose, now)
            self.seen = False
        moves = self.springs.at(pose, now)
        seen, self.seen = self.seen, False  # until it is sent
        frame = self.springs.rig.evaluate()
        sections = frame.changes if seen else frame.sections
        return moves, packed(HEADER.pack(serial, NO_FRAME, *self.shown), sections)

    def _stroked(self, serial: int, program: RigProgram, asked: dict[str, Any]) -> bytes:
        """The colours of a part while a stroke is drawn over it: of the stroke as far as it has come."""
        edit = parse_stroke(asked)
        if self.table is None or not self.table.goes_on(self.shown, edit):
            self.table = Stroke(program.figure, self.shown, edit, DatabaseStores())
        colours = self.table.dabbed(edit)
        start = program.blocks[self.table.part].start
        sections: dict[str, NDArray[Any]] = {"start": np.array([start], np.uint32), "colours": colours}
        return packed(HEADER.pack(serial, COLOURS, *self.shown), sections)

    def _posed(self, serial: int, program: RigProgram, pose: Pose, grip: str | None) -> bytes:
        """A pose, packed; of a part or group that is `grip`, how it is carried, too."""
        if self.rig is None or self.rig.program is not program:
            self.rig, self.seen = RigState(program), False
        seen, self.seen = self.seen, False  # until it is sent
        if grip is None:
            frame, more = self.rig.evaluate(pose), {}
        else:
            frame, carried = gripped_at(self.rig, pose, grip)
            more = {"carried": carried.astype(np.float32)}
        sections = frame.changes if seen else frame.sections
        return packed(HEADER.pack(serial, NO_FRAME, *self.shown), {**sections, **more})

    def _need_seen(self, revision: int) -> None:
        """Raises Revision.DoesNotExist unless the revision is one of the figure's and its user may see it now."""
        seen = Figure.objects.seen_by(self.scope["user"])
        if not Revision.objects.filter(pk=revision, figure_id=self.figure_id, figure__in=seen).exists():
            raise Revision.DoesNotExist

    async def _barred(self) -> int | None:
        """Why the socket may not stay open, as a closing code; None where it may."""
        found: dict[Pass, int] = await database_sync_to_async(barred)([self.seen_by])
        return found.get(self.seen_by)

    def _within_rate(self) -> bool:
        """A bucket that holds a second's worth of messages and fills steadily."""
        now = time.monotonic()
        rate = settings.LIVE_MESSAGES_PER_SECOND
        self.allowance = min(rate, self.allowance + (now - self.refilled) * rate) - 1
        self.refilled = now
        return self.allowance >= 0

    async def _say(self, sentence: str) -> None:
        await self.send(json.dumps({"sentence": sentence}))


def _packed(serial: int, number: int, shown: Seen, frame: Frame) -> bytes:
    """A frame for the browser."""
    return packed(HEADER.pack(serial, number, *shown), frame.sections)
