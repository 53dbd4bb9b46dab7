"""The live socket: a pose or a stroke comes in, packed vertices or colours go out. Latest wins; nothing is stored."""

from __future__ import annotations

import asyncio
import json
import struct
import time
from importlib import import_module
from types import SimpleNamespace
from typing import Any, cast

import numpy as np
from channels.db import database_sync_to_async
from channels.generic.websocket import AsyncWebsocketConsumer
from django.conf import settings
from django.contrib.auth import get_user
from django.db import DatabaseError
from django.http import HttpRequest

from kunstgriff.evaluate.rig import Frame, Rig, compile_rig
from kunstgriff.figure.edit import EditRefused
from kunstgriff.figure.pose import parse_pose
from kunstgriff.paint.painter import PainterMissing
from kunstgriff.trial.swing import play
from studio.bench.live_seams import seam_now
from studio.bench.state import compiled
from studio.bench.strokes import Stroke, parse_stroke
from studio.library.models import Figure, Revision
from studio.library.stores import DatabaseStores

HEADER = struct.Struct("<IIIII")  # serial, frame number or NO_FRAME, revision, bones, vertices
NO_FRAME, COLOURS = 0xFFFFFFFF, 0xFFFFFFFE
SIGNED_OUT, GONE, TOO_MUCH = 4401, 4404, 4429


class LiveBench(AsyncWebsocketConsumer):
    """One open bench. Messages in: {"serial", "revision"} with "pose", "swing": true or "stroke", which is a
    `paint_weights` edit as far as it has come. A pose may come with "seam", a bone: what is read at its joint follows
    the vertices, as fast as it can be read, of the newest pose."""

    async def connect(self) -> None:
        self.figure_id = self.scope["url_route"]["kwargs"]["figure_id"]
        self.group = f"figure-{self.figure_id}"
        self.rig: Rig | None = None
        self.revision = 0
        self.latest: dict[str, Any] | None = None
        self.table: Stroke | None = None
        self.arrived = asyncio.Event()
        self.answering: asyncio.Task[None] | None = None
        self.reading: asyncio.Task[None] | None = None
        self.watching: asyncio.Task[None] | None = None
        self.unread: tuple[int, str, dict[str, float]] | None = None
        self.allowance, self.refilled = float(settings.LIVE_MESSAGES_PER_SECOND), time.monotonic()
        await self.accept()
        if not self.scope["user"].is_authenticated:
            await self.close(SIGNED_OUT)
            return
        if (barred := await self._barred()) is not None:
            await self.close(barred)
            return
        if self.channel_layer is not None:
            await self.channel_layer.group_add(self.group, self.channel_name)
        self.answering = asyncio.create_task(self._answer())
        self.watching = asyncio.create_task(self._watch())

    async def disconnect(self, code: int) -> None:
        for task in (self.answering, self.reading, self.watching):
            if task is not None:
                task.cancel()
        if self.channel_layer is not None:
            await self.channel_layer.group_discard(self.group, self.channel_name)

    async def receive(self, text_data: str | None = None, bytes_data: bytes | None = None) -> None:
        """Keep only the newest message; the answering task takes it when it is free."""
        if not self._within_rate():
            await self.close(TOO_MUCH)
            return
        try:
            message = json.loads(text_data or "")
            if not isinstance(message, dict) or len(text_data or "") > settings.LIVE_MESSAGE_LIMIT:
                raise ValueError
        except (ValueError, RecursionError):
            await self._say("The live socket takes JSON objects only.")
            return
        self.latest = message
        self.arrived.set()

    async def head_moved(self, event: dict[str, Any]) -> None:
        """Someone made an edit."""
        if (barred := await self._barred()) is not None:
            await self.close(barred)
            return
        await self.send(json.dumps({"head": event["revision"]}))

    async def _watch(self) -> None:
        """Close the socket when its user may not see the figure any more, whoever and whatever saw to that."""
        while True:
            await asyncio.sleep(settings.LIVE_RIGHTS_SECONDS)
            try:
                barred = await self._barred()
            except DatabaseError:
                continue  # it may be away; the next look tells
            if barred is not None:
                await self.close(barred)
                return

    async def _answer(self) -> None:
        while True:
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
        serial, revision = int(message["serial"]), int(message["revision"])
        if self.rig is None or revision != self.revision:
            self.rig = await database_sync_to_async(self._load)(revision)
            self.revision = revision
        if message.get("swing"):
            await self._swing(serial)
            return
        if message.get("stroke"):
            await self.send(bytes_data=await database_sync_to_async(self._stroked)(serial, message["stroke"]))
            return
        self.table = None
        pose = parse_pose(message.get("pose", {}))
        known = self.rig.bone_index
        pose = pose.restricted_to(known)
        await self.send(bytes_data=self._packed(serial, NO_FRAME, self.rig.evaluate(pose)))
        if message.get("seam") in known:
            self.unread = revision, str(message["seam"]), pose
            if self.reading is None or self.reading.done():
                self.reading = asyncio.create_task(self._read_seams())

    async def _read_seams(self) -> None:
        """Read the seam that was asked for, and go on as long as newer poses have come meanwhile."""
        while self.unread is not None:
            asked, self.unread = self.unread, None
            try:
                told = await database_sync_to_async(seam_now)(*asked)
            except (EditRefused, PainterMissing, Revision.DoesNotExist, TimeoutError):
                return  # the card says what is the matter with that joint
            await self.send(json.dumps({"seam": {"revision": asked[0], **told}}))

    async def _swing(self, serial: int) -> None:
        """Send the whole swing, frame after frame, until something newer is asked for."""
        assert self.rig is not None
        for number, frame in enumerate(play(self.rig)):
            await self.send(bytes_data=self._packed(serial, number, frame))
            await asyncio.sleep(0)
            if self.arrived.is_set():
                return

    def _packed(self, serial: int, number: int, frame: Frame) -> bytes:
        header = HEADER.pack(serial, number, self.revision, len(frame.matrices), len(frame.vertices))
        assert self.rig is not None
        switched = frame.amounts.tobytes() + (
            np.array(self.rig.order(), np.uint32).tobytes() if self.rig.rules else b""
        )
        return header + frame.matrices.astype(np.float32).tobytes() + frame.vertices.tobytes() + switched

    def _stroked(self, serial: int, asked: dict[str, Any]) -> bytes:
        """The colours of a part while a stroke is drawn over it: of the stroke as far as it has come."""
        assert self.rig is not None
        edit = parse_stroke(asked)
        if self.table is None or not self.table.goes_on(self.revision, edit):
            self.table = Stroke(self.rig.figure, self.revision, edit, DatabaseStores())
        colours = self.table.dabbed(edit)
        start = self.rig.blocks[self.table.part].start
        return HEADER.pack(serial, COLOURS, self.revision, start, len(colours)) + colours.tobytes()

    def _load(self, revision: int) -> Rig:
        seen = Figure.objects.seen_by(self.scope["user"])
        if not Revision.objects.filter(pk=revision, figure_id=self.figure_id, figure__in=seen).exists():
            raise Revision.DoesNotExist
        return compile_rig(compiled(revision)[0], DatabaseStores())

    @database_sync_to_async
    def _barred(self) -> int | None:
        """Why the socket may not stay open, as a closing code; None where it may. Nothing is taken from memory."""
        session = import_module(settings.SESSION_ENGINE).SessionStore(self.scope["session"].session_key)
        user = get_user(cast(HttpRequest, SimpleNamespace(session=session, META={})))
        if not user.is_authenticated:
            return SIGNED_OUT
        return None if Figure.objects.seen_by(user).filter(pk=self.figure_id).exists() else GONE

    def _within_rate(self) -> bool:
        """A bucket that holds a second's worth of messages and fills steadily."""
        now = time.monotonic()
        rate = settings.LIVE_MESSAGES_PER_SECOND
        self.allowance = min(rate, self.allowance + (now - self.refilled) * rate) - 1
        self.refilled = now
        return self.allowance >= 0

    async def _say(self, text: str) -> None:
        await self.send(json.dumps({"sentence": text}))
