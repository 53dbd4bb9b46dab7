"""Every address of the studio."""

from django.urls import include, path
from django.views.generic import RedirectView

from studio.health import health, ready

urlpatterns = [
    path("", RedirectView.as_view(pattern_name="library"), name="home"),
    path("account/", include("studio.accounts.urls")),
    path("figures/", include("studio.library.urls")),
    path("bench/", include("studio.bench.urls")),
    path("jobs/", include("studio.deliveries.urls")),
    path("health", health),
    path("ready", ready),
]
