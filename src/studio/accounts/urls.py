from django.contrib.auth.views import LogoutView
from django.urls import path

from studio.accounts.account import Reset, ResetConfirm, ResetDone, ResetSent, account, delete_account, leave_everywhere
from studio.accounts.views import SignIn, SignUp

urlpatterns = [
    path("", account, name="account"),
    path("sign-in/", SignIn.as_view(), name="login"),
    path("new/", SignUp.as_view(), name="sign-up"),
    path("sign-out/", LogoutView.as_view(), name="logout"),
    path("leave-everywhere/", leave_everywhere, name="leave-everywhere"),
    path("delete/", delete_account, name="delete-account"),
    path("forgotten/", Reset.as_view(), name="reset"),
    path("forgotten/sent/", ResetSent.as_view(), name="reset-sent"),
    path("forgotten/<uidb64>/<token>/", ResetConfirm.as_view(), name="password_reset_confirm"),
    path("forgotten/done/", ResetDone.as_view(), name="reset-done"),
]
