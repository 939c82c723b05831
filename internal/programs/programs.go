// Package programs finds the client's builds for the machines under review, which the service offers for download.
package programs

import (
	"crypto/sha256"
	"debug/elf"
	"encoding/hex"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"sync"
	"time"
)

// Architectures are those of machines under review, in Go's names.
var Architectures = []string{"amd64", "arm64"}

// Program is the client for one architecture, in a file.
type Program struct {
	Architecture string
	File         string
	Size         int64
	SHA256       string
	Changed      time.Time
}

// Folder is where the programs are: dtally-linux-amd64 and the like, and dtally for the architecture of this machine.
type Folder struct {
	Path string
	mu   sync.Mutex
	seen map[string]Program // by file
}

// Beside returns the folder of this program itself.
func Beside() *Folder {
	self, err := os.Executable()
	if err != nil {
		return &Folder{}
	}
	return &Folder{Path: filepath.Dir(self)}
}

// List returns the existing programs, by architecture. It leaves out a dtally that needs libraries of this machine.
func (f *Folder) List() ([]Program, error) {
	var all []Program
	for _, arch := range Architectures {
		p, ok, err := f.Find(arch)
		if err != nil {
			return nil, err
		}
		if ok {
			all = append(all, p)
		}
	}
	return all, nil
}

// Find returns the program for an architecture; ok is false if there is none.
func (f *Folder) Find(arch string) (p Program, ok bool, err error) {
	if f.Path == "" || !slices.Contains(Architectures, arch) {
		return p, false, nil
	}
	names := []string{"dtally-linux-" + arch}
	if arch == runtime.GOARCH {
		names = append(names, "dtally")
	}
	for _, name := range names {
		file := filepath.Join(f.Path, name)
		info, err := os.Stat(file)
		if os.IsNotExist(err) || err == nil && !info.Mode().IsRegular() {
			continue
		}
		if err != nil {
			return p, false, err
		}
		p, err := f.look(arch, file, info)
		if err != nil {
			return p, false, fmt.Errorf("%s: %w", file, err)
		}
		if p.SHA256 != "" {
			return p, true, nil
		}
	}
	return p, false, nil
}

// look hashes a program, again only after it was changed. One that needs libraries has no hash.
func (f *Folder) look(arch, file string, info os.FileInfo) (Program, error) {
	f.mu.Lock()
	defer f.mu.Unlock()
	p, ok := f.seen[file]
	if ok && p.Size == info.Size() && p.Changed.Equal(info.ModTime()) {
		return p, nil
	}
	p = Program{Architecture: arch, File: file, Size: info.Size(), Changed: info.ModTime()}
	if alone, err := RunsAlone(file); err != nil || !alone {
		return p, err
	}
	in, err := os.Open(file)
	if err != nil {
		return p, err
	}
	defer in.Close()
	sum := sha256.New()
	if _, err := io.Copy(sum, in); err != nil {
		return p, err
	}
	p.SHA256 = hex.EncodeToString(sum.Sum(nil))
	if f.seen == nil {
		f.seen = map[string]Program{}
	}
	f.seen[file] = p
	return p, nil
}

// RunsAlone reports whether a program for Linux needs no shared libraries.
func RunsAlone(file string) (bool, error) {
	f, err := elf.Open(file)
	if err != nil {
		return false, err
	}
	defer f.Close()
	for _, p := range f.Progs {
		if p.Type == elf.PT_INTERP {
			return false, nil
		}
	}
	return true, nil
}
