#!/bin/sh
# Stops the service where the package is removed, and not where it is upgraded.
set -e
case "$1" in
remove | 0)
	if [ -d /run/systemd/system ]; then
		systemctl disable --now dtallyd.service dtally-backup.timer || true
	fi
	;;
esac
