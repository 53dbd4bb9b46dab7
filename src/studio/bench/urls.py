from django.urls import path

from studio.bench import views

urlpatterns = [
    path("<int:figure_id>/", views.bench, name="bench"),
    path("<int:figure_id>/state/", views.state, name="bench-state"),
    path("<int:figure_id>/edit/", views.edit, name="bench-edit"),
    path("<int:figure_id>/undo/", views.undo_edit, name="bench-undo"),
    path("<int:figure_id>/redo/", views.redo_edit, name="bench-redo"),
    path("<int:figure_id>/geometry/<int:revision_id>/", views.geometry, name="bench-geometry"),
]
