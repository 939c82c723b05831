package trial

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"syscall"
)

// disk is a small disk in memory for a node, which can be filled. It needs root.
type disk struct{ folder string }

// sizeOfDisk is enough for a node with the demo's data.
const sizeOfDisk = 1 << 30

// newDisk mounts a disk at a folder. It returns nil if that is not possible.
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

// fill fills the disk.
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

// clear frees the space again.
func (d *disk) clear() error { return os.Remove(d.filler()) }

func (d *disk) unmount() error { return syscall.Unmount(d.folder, syscall.MNT_DETACH) }
