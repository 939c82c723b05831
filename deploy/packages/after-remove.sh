#!/bin/sh
# What the service has written stays where the package is removed. A purge removes it, but for the backups.
set -e
if [ -d /run/systemd/system ]; then
	systemctl daemon-reload
fi
if [ "$1" = purge ]; then
	rm -rf /var/lib/dtally /etc/dtally
	rmdir /var/backups/dtally 2>/dev/null || true
	if getent passwd dtally >/dev/null && command -v userdel >/dev/null 2>&1; then
		userdel dtally || true
	fi
fi
