// Package smalldisk gives tests a disk that is soon full.
package smalldisk

import (
	"fmt"
	"syscall"
	"testing"
)

// Mount is a folder on a disk of its own, of so many bytes. The test is left out where no disk may be mounted, as
// by anybody but root.
func Mount(t *testing.T, size int64) string {
	t.Helper()
	folder := t.TempDir()
	if err := syscall.Mount("tmpfs", folder, "tmpfs", 0, fmt.Sprintf("size=%d", size)); err != nil {
		t.Skipf("no disk can be mounted here: %v", err)
	}
	t.Cleanup(func() {
		if err := syscall.Unmount(folder, syscall.MNT_DETACH); err != nil {
			t.Error(err)
		}
	})
	return folder
}
