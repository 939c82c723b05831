package main

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
)

// part is a Go module or an npm package.
type part struct {
	Name, Version, Licence string
	Direct                 bool
}

// modules lists the Go modules of the module in root, direct and indirect.
func modules(root string) ([]part, error) {
	cmd := exec.Command("go", "list", "-m", "-json", "all")
	cmd.Dir, cmd.Stderr = root, os.Stderr
	out, err := cmd.Output()
	if err != nil {
		return nil, fmt.Errorf("listing the modules: %w", err)
	}
	var parts []part
	for d := json.NewDecoder(bytes.NewReader(out)); ; {
		var m struct {
			Path, Version, Dir string
			Main, Indirect     bool
		}
		if err := d.Decode(&m); errors.Is(err, io.EOF) {
			return parts, nil
		} else if err != nil {
			return nil, err
		}
		if !m.Main {
			parts = append(parts, part{m.Path, m.Version, licenceIn(m.Dir), !m.Indirect})
		}
	}
}

// packages lists the npm packages that the console ships, from its lock file.
func packages(root string) ([]part, error) {
	var lock struct {
		Packages map[string]struct {
			Version, License string
			Dev, Peer        bool
			Dependencies     map[string]string
		}
	}
	text, err := os.ReadFile(filepath.Join(root, "web", "package-lock.json"))
	if err != nil {
		return nil, err
	}
	if err := json.Unmarshal(text, &lock); err != nil {
		return nil, fmt.Errorf("web/package-lock.json: %w", err)
	}
	var parts []part
	for path, p := range lock.Packages {
		if path == "" || p.Dev {
			continue
		}
		name := path[strings.LastIndex(path, "node_modules/")+len("node_modules/"):]
		_, direct := lock.Packages[""].Dependencies[name]
		parts = append(parts, part{name, p.Version, p.License, direct})
	}
	return parts, nil
}

// phrases recognizes licences by a sentence that only they have, the more specific first.
var phrases = []struct{ phrase, spdx string }{
	{"Creative Commons Attribution 4.0", "CC-BY-4.0"},
	{"The FreeType License", "FTL"},
	{"Apache License", "Apache-2.0"},
	{"Mozilla Public License", "MPL-2.0"},
	{"GNU LESSER GENERAL PUBLIC", "LGPL-3.0"},
	{"GNU GENERAL PUBLIC LICENSE", "GPL-3.0"},
	{"SIL OPEN FONT LICENSE", "OFL-1.1"},
	{"Neither the name", "BSD-3-Clause"},
	{"names of its contributors may", "BSD-3-Clause"},
	{"Redistribution and use in source and binary forms", "BSD-2-Clause"},
	{"Permission is hereby granted, free of charge", "MIT"},
	{"Permission to use, copy, modify, and", "ISC"},
}

// licenceIn returns the SPDX name of the licence in a module's folder; empty if none is recognized.
func licenceIn(dir string) string {
	files, err := filepath.Glob(filepath.Join(dir, "[LlCc][IiOo][CcPp]*")) // LICENSE, LICENCE, COPYING and similar
	if err != nil || dir == "" {
		return ""
	}
	for _, file := range files {
		text, err := os.ReadFile(file)
		if err != nil {
			continue // a folder
		}
		flat := strings.Join(strings.Fields(string(text)), " ")
		for _, p := range phrases {
			if strings.Contains(flat, p.phrase) {
				return p.spdx
			}
		}
	}
	return ""
}
