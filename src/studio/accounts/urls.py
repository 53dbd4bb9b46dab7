from django.contrib.auth.views import LogoutView
from django.urls import path

from studio.accounts.views import SignIn, SignUp

urlpatterns = [
    path("sign-in/", SignIn.as_view(), name="login"),
    path("new/", SignUp.as_view(), name="sign-up"),
    path("sign-out/", LogoutView.as_view(), name="logout"),
]
