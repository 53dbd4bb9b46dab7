from django.contrib.auth.views import LogoutView
from django.urls import path

from studio.accounts.views import SignIn

urlpatterns = [
    path("sign-in/", SignIn.as_view(), name="login"),
    path("sign-out/", LogoutView.as_view(), name="logout"),
]
