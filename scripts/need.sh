#!/bin/sh
# need.sh TOOL… makes sure that the tools named are there. What Debian packages,
# it installs where it is missing; for the rest it says what to do.
#   go node        must be there already
#   mariadb        the server's programs alone: no service is set up or started
#   chromium       for the tests of the console
#   cc             a C compiler, for the race detector
#   galera         for clusters: the replication engine, and what carries data to a new node
#   binlog         the reader of MariaDB's binary logs
#   promtool       what checks alert rules
#   packages       what tries packages in a clean tree
#   haproxy        for clusters: the balancer
#   shells         for the tests of completion: bash with its completion, zsh, fish
set -eu

say() { echo "==> $*" >&2; }
fail() { echo "error: $*" >&2; exit 1; }

install() { # install WHAT PACKAGE…
	what=$1; shift
	command -v apt-get >/dev/null || fail "$what is missing, and there is no apt-get here to install it with; install it by hand (on Debian: $*)"
	sudo=""
	if [ "$(id -u)" != 0 ]; then
		command -v sudo >/dev/null || fail "$what is missing; as root: apt-get install --no-install-recommends $*"
		sudo=sudo
	fi
	say "installing $what ($*)"
	log=$(mktemp)
	for try in 1 2; do
		if $sudo env DEBIAN_FRONTEND=noninteractive apt-get install -qq -y --no-install-recommends "$@" >"$log" 2>&1; then
			rm -f "$log"
			return
		fi
		[ $try = 1 ] && $sudo apt-get update -qq >"$log" 2>&1 || true
	done
	cat "$log" >&2
	rm -f "$log"
	fail "$what could not be installed; the lines above say why"
}

found() { PATH="$PATH:/usr/sbin:/usr/local/sbin" command -v "$1" >/dev/null 2>&1; }

# Some programs are in Debian's packages of the whole server and client, which would set up a service or bring much
# else. They are taken out of them.
taken="${XDG_CACHE_HOME:-$HOME/.cache}/dtally-galera/usr/bin"

take() { # take WHAT PACKAGE PROGRAM…
	what=$1 package=$2; shift 2
	say "fetching $what (from $package)"
	folder=$(mktemp -d)
	(cd "$folder" && chmod 755 . && apt-get download "$package" >log 2>&1 && dpkg -x "$package"_*.deb whole) || {
		cat "$folder/log" >&2
		fail "it could not be fetched; the lines above say why"
	}
	mkdir -p "$taken"
	for program in "$@"; do cp "$folder/whole/usr/bin/$program" "$taken/"; done
	rm -rf "$folder"
}

for tool in "$@"; do
	case $tool in
	go)
		found go || fail "Go is missing; install Go 1.26 or newer and put its bin folder on the PATH"
		;;
	node)
		found node && found npm || fail "Node.js is missing; install Node.js 20 or newer with npm"
		major=$(node -p 'process.versions.node.split(".")[0]')
		[ "$major" -ge 20 ] || fail "Node.js is version $major; the console needs 20 or newer to build"
		;;
	mariadb)
		{ found mariadbd && found mariadb-install-db && found my_print_defaults; } || install "MariaDB's server" mariadb-server-core mariadb-client-core
		;;
	chromium)
		if [ -z "${DTALLY_CHROMIUM:-}" ] && ! found chromium-headless-shell; then
			# It takes a third less time than the whole browser, which does as well.
			if ! { [ "$(id -u)" = 0 ] && (install "Chromium without windows" chromium-headless-shell); }; then
				found chromium || found chromium-browser || found google-chrome || install "Chromium" chromium
				say "the whole Chromium is used instead"
			fi
		fi
		;;
	cc)
		found gcc || found cc || install "a C compiler" gcc libc6-dev
		;;
	shells)
		{ found zsh && found fish && [ -f /usr/share/bash-completion/bash_completion ]; } || install "the shells" bash-completion zsh fish
		;;
	xvfb)
		found Xvfb || install "an X server without a screen" xvfb
		;;
	curl)
		found curl || install "curl" curl
		;;
	ffmpeg)
		found ffmpeg || install "ffmpeg, which makes the videos of the tests" ffmpeg
		;;
	sshd)
		found sshd || install "a server for SSH" openssh-server
		;;
	galera)
		[ -f /usr/lib/galera/libgalera_smm.so ] && found rsync && found lsof && found ss ||
			install "MariaDB's replication engine" galera-4 rsync lsof iproute2
		found wsrep_sst_rsync || [ -f "$taken/wsrep_sst_rsync" ] ||
			take "what carries data to a new node" mariadb-server wsrep_sst_common wsrep_sst_rsync
		;;
	binlog)
		found mariadb-binlog || [ -f "$taken/mariadb-binlog" ] ||
			take "the reader of binary logs" mariadb-client mariadb-binlog
		;;
	packages)
		{ found debootstrap && found rpm && found systemd-analyze; } ||
			install "what tries packages" debootstrap rpm systemd
		;;
	promtool)
		found promtool || [ -f "$taken/promtool" ] || take "what checks alert rules" prometheus promtool
		;;
	haproxy)
		found haproxy || install "a balancer" haproxy
		;;
	*)
		fail "need.sh knows no tool $tool"
		;;
	esac
done
