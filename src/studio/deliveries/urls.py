from django.urls import path

from studio.deliveries import views

urlpatterns = [
    path("import/", views.start_import, name="import"),
    path("scale/<int:figure_id>/", views.start_scale, name="scale"),
    path("deliver/<int:figure_id>/", views.start_delivery, name="deliver"),
    path("lists/", views.lists, name="delivery-lists"),
    path("lists/keep/", views.keep_list, name="keep-list"),
    path("lists/<int:list_id>/drop/", views.drop_list, name="drop-list"),
    path("of/<int:figure_id>/", views.jobs_of_figure, name="jobs-of-figure"),
    path("<uuid:job_id>/", views.job_state, name="job"),
    path("<uuid:job_id>/stop/", views.stop_job, name="stop-job"),
    path("<uuid:job_id>/file/", views.job_file, name="job-file"),
]
