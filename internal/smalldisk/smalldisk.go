// Package smalldisk provides tests with a small disk that can be filled.
package smalldisk

import (
	"fmt"
	"os"
	"syscall"
	"testing"
)

// Mount mounts a folder on a disk of its own, of so many bytes, that every user can pass through. It skips the test
// if no disk can be mounted, for example without root.
func Mount(t *testing.T, size int64) string {
	t.Helper()
	folder, err := os.MkdirTemp("", "dtally-disk-")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { os.Remove(folder) })
	if err := syscall.Mount("tmpfs", folder, "tmpfs", 0, fmt.Sprintf("size=%d,mode=0711", size)); err != nil {
		t.Skipf("no disk can be mounted here: %v", err)
	}
	t.Cleanup(func() {
		if err := syscall.Unmount(folder, syscall.MNT_DETACH); err != nil {
			t.Error(err)
		}
	})
	return folder
}
