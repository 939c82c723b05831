// Package wholefile writes files completely or not at all.
package wholefile

import (
	"crypto/rand"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
)

// Write puts what write writes into the file of that name, in the place of one that is
// there. Until all of it is on the disk the old one stays.
func Write(name string, write func(io.Writer) error) error { return put(name, 0o644, write) }

// WriteSecret does so with a file that its owner alone can read.
func WriteSecret(name string, write func(io.Writer) error) error { return put(name, 0o600, write) }

// Within does so with a file below a folder, whose own folders are made. A name that leads out of the folder, by .. or
// by a symbolic link, is an error.
func Within(root *os.Root, name string, write func(io.Writer) error) error {
	if dir := filepath.Dir(name); dir != "." {
		if err := root.MkdirAll(dir, 0o755); err != nil {
			return err
		}
	}
	half := filepath.Join(filepath.Dir(name), ".dtally-"+rand.Text())
	f, err := root.OpenFile(half, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o644)
	if err != nil {
		return err
	}
	defer func() { _ = root.Remove(half) }() // it is gone where all went well
	if err := write(f); err != nil {
		return errors.Join(err, f.Close())
	}
	if err := errors.Join(f.Sync(), f.Close()); err != nil {
		return fmt.Errorf("writing %s: %w", name, err)
	}
	return root.Rename(half, name)
}

func put(name string, mode os.FileMode, write func(io.Writer) error) error {
	f, err := os.CreateTemp(filepath.Dir(name), ".dtally-*")
	if err != nil {
		return err
	}
	defer os.Remove(f.Name())
	if err := write(f); err != nil {
		return errors.Join(err, f.Close())
	}
	if err := errors.Join(f.Chmod(mode), f.Sync(), f.Close()); err != nil {
		return fmt.Errorf("writing %s: %w", name, err)
	}
	return os.Rename(f.Name(), name)
}
