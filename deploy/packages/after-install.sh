#!/bin/sh
# Makes the account and the folders of the service. On a machine with systemd the service is started again after an
# upgrade where it runs; a first install starts nothing.
set -e
if command -v systemd-sysusers >/dev/null 2>&1; then
	systemd-sysusers dtally.conf
elif ! getent passwd dtally >/dev/null; then
	getent group dtally >/dev/null || groupadd --system dtally
	useradd --system --gid dtally --home-dir /var/lib/dtally --no-create-home --shell /usr/sbin/nologin dtally
fi
for folder in /var/lib/dtally /var/backups/dtally; do
	mkdir -p "$folder"
	chown dtally:dtally "$folder"
	chmod 0700 "$folder"
done
chgrp dtally /etc/dtally/dtally.yaml
chmod 0640 /etc/dtally/dtally.yaml
if [ -d /run/systemd/system ]; then
	systemctl daemon-reload
	systemctl try-restart dtallyd.service
fi
if [ "$1" = configure ] && [ -z "$2" ] || [ "$1" = 1 ]; then
	echo "Start the service with: systemctl enable --now dtallyd dtally-backup.timer"
	echo "Its log shows where to set it up: journalctl -u dtallyd"
fi
