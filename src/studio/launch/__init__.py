"""Starting and stopping what the studio needs: the private MariaDB, the web server, a job worker."""
