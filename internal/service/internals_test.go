package service_test

import (
	"sync"
	"testing"

	"golang.org/x/tools/go/packages"
)

// internals returns the packages below internal with their types, loaded once for all tests.
func internals(t *testing.T) []*packages.Package {
	t.Helper()
	loaded, err := loadInternals()
	if err != nil {
		t.Fatal(err)
	}
	for _, p := range loaded {
		if len(p.Errors) > 0 {
			t.Fatal(p.Errors)
		}
	}
	return loaded
}

var loadInternals = sync.OnceValues(func() ([]*packages.Package, error) {
	return packages.Load(&packages.Config{Mode: packages.LoadSyntax}, "dappertally/internal/...")
})
