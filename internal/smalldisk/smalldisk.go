// Package smalldisk gives tests a disk that is soon full.
package smalldisk

import (
	"fmt"
	"os"
	"syscall"
	"testing"
)

// Mount is a folder on a disk of its own, of so many bytes, that every user can get through. The test is left out where
// no disk may be mounted, as by anybody but root.
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
