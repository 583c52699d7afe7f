"""Linux hosts: accounts and groups of the host, logons by PAM, notices, and elevation by sudo."""
