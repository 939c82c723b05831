package trial

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"syscall"
)

// disk is a small disk in memory of its own for a node, which can be full. Only root can have one.
type disk struct{ folder string }

// sizeOfDisk is enough for a node with the demo's data.
const sizeOfDisk = 1 << 30

// newDisk mounts a disk at a folder. It returns nil where none can be mounted.
func newDisk(folder string) *disk {
	if err := os.MkdirAll(folder, 0o711); err != nil {
		return nil
	}
	_ = syscall.Unmount(folder, syscall.MNT_DETACH) // of a trial that was killed
	if err := syscall.Mount("tmpfs", folder, "tmpfs", 0, fmt.Sprintf("size=%d,mode=0711", sizeOfDisk)); err != nil {
		return nil
	}
	return &disk{folder}
}

func (d *disk) filler() string { return filepath.Join(d.folder, "filler") }

// fill leaves no room on the disk.
func (d *disk) fill() error {
	f, err := os.Create(d.filler())
	if err != nil {
		return err
	}
	defer f.Close()
	some := make([]byte, 1<<20)
	for {
		if _, err := f.Write(some); errors.Is(err, syscall.ENOSPC) {
			return nil
		} else if err != nil {
			return err
		}
	}
}

// clear makes room again.
func (d *disk) clear() error { return os.Remove(d.filler()) }

func (d *disk) unmount() error { return syscall.Unmount(d.folder, syscall.MNT_DETACH) }
