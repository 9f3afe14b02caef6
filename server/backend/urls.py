"""Addresses: the API under /api/, sign-in, and the page for everything else."""

from django.conf import settings
from django.http import FileResponse, HttpRequest, HttpResponse
from django.urls import include, path, re_path
from django.views.decorators.csrf import ensure_csrf_cookie
from drf_spectacular.views import SpectacularAPIView
from rest_framework.routers import DefaultRouter

from devices.views import DeviceListView, DevicesRedoView, DevicesUndoView, DevicesView, DeviceView
from hands.views import (
    BindingsView,
    BindingView,
    HandsFileView,
    HandsRedoView,
    HandsUndoView,
    HandsView,
    LightsView,
    StarterView,
)
from outputs.views import FeedViewSet, OutputsView, RedoView, RigViewSet, UndoView
from people.access import InABand
from people.views import LineUpViewSet, MemberViewSet, MeView, PlayerViewSet, SignInLinkView, SignOutView, sign_in
from screens.views import ScreenFileViewSet
from setlists.views import SetlistViewSet
from shows.sheets import live_sheet
from shows.views import ShowViewSet
from songs.pages.chart import ChartViewSet
from songs.pages.click import ClickViewSet
from songs.pages.forms import FormsViewSet
from songs.pages.grid import GridViewSet
from songs.pages.intake import IntakeViewSet
from songs.pages.levels import LevelsViewSet
from songs.pages.messages import MessagesViewSet
from songs.pages.seams import SeamsViewSet
from songs.pages.sheet import SheetViewSet, UsualStemViewSet
from songs.pages.shelf import LoopViewSet, StackViewSet
from songs.pages.song import SongViewSet
from songs.pages.tempos import TemposViewSet
from sounds.views import HandSoundViewSet
from stage.changes import ChangesView
from stage.devices import SendView
from stage.interfaces import FedView, InterfacesView
from stage.join_page import JoinView
from stage.marks import MarksView
from stage.night_pages import NightFormView, NightPrintView, NightReportView, TimesView
from stage.nights import NightsView, NightView
from stage.screen_files import JoinedFileView
from stage.views import DescribedView, EngineView, LoadViewSet, RecordingView
from stage.why import WhyNowView
from uploads.views import UploadViewSet
from voices.views import OwnSoundViewSet, VoiceView, WordView


@ensure_csrf_cookie
def page(request: HttpRequest) -> HttpResponse | FileResponse:
    """The front end; its own router takes it from there."""
    index = settings.WEB_BUILD / "index.html"
    if not index.exists():
        return HttpResponse("The pages are not built yet: run ./setup.", status=503, content_type="text/plain")
    return FileResponse(
        open(index, "rb"), content_type="text/html; charset=utf-8", headers={"Cache-Control": "no-cache"}
    )


router = DefaultRouter()
router.include_root_view = False
# One view set for each page of a song; they share its address.
for page_name, views in (
    ("intake", IntakeViewSet),
    ("chart", ChartViewSet),
    ("grid", GridViewSet),
    ("forms", FormsViewSet),
    ("seams", SeamsViewSet),
    ("sheet", SheetViewSet),
    ("click", ClickViewSet),
    ("messages", MessagesViewSet),
    ("levels", LevelsViewSet),
    ("tempos", TemposViewSet),
    ("song", SongViewSet),
):
    router.register("songs", views, basename=page_name)
router.register("uploads", UploadViewSet, basename="upload")
router.register("setlists", SetlistViewSet, basename="setlist")
router.register("rigs", RigViewSet, basename="rig")
router.register("feeds", FeedViewSet, basename="feed")
router.register("shows", LoadViewSet, basename="load")
router.register("shows", ShowViewSet, basename="show")
router.register("players", PlayerViewSet, basename="player")
router.register("members", MemberViewSet, basename="member")
router.register("line-ups", LineUpViewSet, basename="line-up")
router.register("own-sounds", OwnSoundViewSet, basename="own-sound")
router.register("screen-files", ScreenFileViewSet, basename="screen-file")
router.register("hand-sounds", HandSoundViewSet, basename="hand-sound")
router.register("loops", LoopViewSet, basename="loop")
router.register("stacks", StackViewSet, basename="stack")
router.register("usual-stems", UsualStemViewSet, basename="usual-stem")

urlpatterns = [
    path("api/schema/", SpectacularAPIView.as_view(permission_classes=[InABand]), name="schema"),
    path("api/me/", MeView.as_view(), name="me"),
    path("api/voice/", VoiceView.as_view(), name="voice"),
    path("api/voice/word/", WordView.as_view(), name="word"),
    path("api/sign-out/", SignOutView.as_view(), name="sign-out"),
    path("api/sign-in-links/", SignInLinkView.as_view(), name="sign-in-links"),
    path("api/join/files/<str:content>/", JoinedFileView.as_view(), name="joined-file"),
    path("api/devices/", DevicesView.as_view(), name="devices"),
    path("api/devices/undo/", DevicesUndoView.as_view(), name="devices-undo"),
    path("api/devices/redo/", DevicesRedoView.as_view(), name="devices-redo"),
    path("api/devices/<str:device>/", DeviceView.as_view(), name="device"),
    path("api/devices/<str:device>/list/", DeviceListView.as_view(), name="device-list"),
    path("api/devices/<str:device>/send/", SendView.as_view(), name="device-send"),
    path("api/hands/", HandsView.as_view(), name="hands"),
    path("api/hands/bindings/", BindingsView.as_view(), name="hands-bindings"),
    path("api/hands/bindings/<str:binding>/", BindingView.as_view(), name="hands-binding"),
    path("api/hands/lights/", LightsView.as_view(), name="hands-lights"),
    path("api/hands/starter/", StarterView.as_view(), name="hands-starter"),
    path("api/hands/file/", HandsFileView.as_view(), name="hands-file"),
    path("api/hands/undo/", HandsUndoView.as_view(), name="hands-undo"),
    path("api/hands/redo/", HandsRedoView.as_view(), name="hands-redo"),
    path("api/join/", JoinView.as_view(), name="join"),
    path("api/engine/", EngineView.as_view(), name="engine"),
    path("api/engine/show/", DescribedView.as_view(), name="described"),
    path("api/engine/changes/", ChangesView.as_view(), name="changes"),
    path("api/engine/why/", WhyNowView.as_view(), name="why-now"),
    path("api/engine/recording/", RecordingView.as_view(), name="recording"),
    path("api/outputs/", OutputsView.as_view(), name="outputs"),
    path("api/outputs/undo/", UndoView.as_view(), name="outputs-undo"),
    path("api/outputs/redo/", RedoView.as_view(), name="outputs-redo"),
    path("api/interfaces/", InterfacesView.as_view(), name="interfaces"),
    path("api/interfaces/now/", FedView.as_view(), name="fed"),
    path("api/marks/", MarksView.as_view(), name="marks"),
    path("api/nights/", NightsView.as_view(), name="nights"),
    path("api/nights/times/", TimesView.as_view(), name="night-times"),
    path("api/nights/<str:name>/", NightView.as_view(), name="night"),
    path("api/nights/<str:name>/report/", NightReportView.as_view(), name="night-report"),
    path("api/nights/<str:name>/print/", NightPrintView.as_view(), name="night-print"),
    path("api/nights/<str:name>/form/", NightFormView.as_view(), name="night-form"),
    path("api/", include(router.urls)),
    path("patch-sheet/<str:token>/", live_sheet, name="patch-sheet"),
    path("sign-in/<str:token>/", sign_in, name="sign-in"),
    re_path(r"^(?!api/|ws/|static/).*$", page, name="page"),
]
