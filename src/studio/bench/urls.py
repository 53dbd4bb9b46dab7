from django.urls import path

from studio.bench import artwork, controls, fan, hems, renewals, rigging, seams, views

urlpatterns = [
    path("<int:figure_id>/", views.bench, name="bench"),
    path("<int:figure_id>/state/", views.state, name="bench-state"),
    path("<int:figure_id>/edit/", views.edit, name="bench-edit"),
    path("<int:figure_id>/undo/", views.undo_edit, name="bench-undo"),
    path("<int:figure_id>/redo/", views.redo_edit, name="bench-redo"),
    path("<int:figure_id>/renewal/<int:sheet_id>/", renewals.renewal_page, name="renewal"),
    path("<int:figure_id>/findings/<int:revision_id>/", artwork.open_findings, name="bench-findings"),
    path("<int:figure_id>/preview/<int:revision_id>/", artwork.edit_preview, name="bench-preview"),
    path("<int:figure_id>/part/<int:revision_id>/<str:part_id>/", artwork.part_readings, name="bench-part"),
    path("<int:figure_id>/lifted/<int:revision_id>/", artwork.ink_lifted, name="bench-lifted"),
    path("<int:figure_id>/fan/<int:revision_id>/<str:bone_id>.png", fan.fan_picture, name="bench-fan-picture"),
    path("<int:figure_id>/fan/<int:revision_id>/<str:bone_id>/", fan.fan_readings, name="bench-fan"),
    path("<int:figure_id>/hem/<int:revision_id>/<str:hem_id>/<int:row>/", hems.hem_row, name="bench-hem"),
    path("<int:figure_id>/take-over/<int:revision_id>/", controls.take_over, name="bench-take-over"),
    path("<int:figure_id>/snap/<int:revision_id>/", rigging.snap, name="bench-snap"),
    path("<int:figure_id>/zone/<int:revision_id>/<str:bone_id>/", rigging.zone, name="bench-zone"),
    path("<int:figure_id>/weights/<int:revision_id>/<str:part_id>/", rigging.weights, name="bench-weights"),
    path("<int:figure_id>/matches/<int:revision_id>/<str:bone_id>/", rigging.matches, name="bench-matches"),
    path("<int:figure_id>/seams/<int:revision_id>/", seams.seam_joints, name="bench-seams"),
    path("<int:figure_id>/seam/<int:revision_id>/<str:bone_id>/", seams.seam_readings, name="bench-seam"),
    path("<int:figure_id>/voids/<int:revision_id>/<str:ref>.png", seams.void_picture, name="bench-void-picture"),
    path("<int:figure_id>/voids/<int:revision_id>/<str:ref>/", seams.void_readings, name="bench-voids"),
    path("<int:figure_id>/together/<int:revision_id>/<str:bone_id>/", seams.seam_together, name="bench-together"),
    path("<int:figure_id>/proposal/<int:revision_id>/<str:bone_id>/", seams.seam_proposal, name="bench-proposal"),
    path(
        "<int:figure_id>/seam/<int:revision_id>/<str:bone_id>/<str:treatment>.png",
        seams.seam_picture,
        name="seam-picture",
    ),
    path("<int:figure_id>/tint/<int:revision_id>/", rigging.tint, name="bench-tint"),
    path("<int:figure_id>/reference/", artwork.keep_reference, name="bench-reference"),
    path("<int:figure_id>/drawing/", artwork.keep_drawing, name="bench-drawing"),
    path("<int:figure_id>/geometry/<int:revision_id>/", views.geometry, name="bench-geometry"),
]
