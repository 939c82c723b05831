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

// Write writes a file with the content from write, replacing an existing one. The old one stays until the new one is
// completely on the disk.
func Write(name string, write func(io.Writer) error) error { return put(name, 0o644, write) }

// WriteSecret is Write for a file that only its owner can read.
func WriteSecret(name string, write func(io.Writer) error) error { return put(name, 0o600, write) }

// Within is Write for a file below a folder, with missing subfolders created. A name that leads out of the folder, by
// .. or by a symbolic link, is an error.
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
	defer func() { _ = root.Remove(half) }() // already renamed if all went well
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
