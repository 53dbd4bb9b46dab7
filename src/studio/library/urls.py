from django.urls import path

from studio.library import views

urlpatterns = [
    path("", views.library, name="library"),
    path("pictures/<str:digest>.png", views.picture, name="picture"),
    path("<int:figure_id>/copy/", views.copy, name="copy-figure"),
    path("<int:figure_id>/share/", views.share, name="share"),
    path("<int:figure_id>/unshare/<int:user_id>/", views.unshare, name="unshare"),
    path("<int:figure_id>/delete/", views.delete, name="delete-figure"),
]
