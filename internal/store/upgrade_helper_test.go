package store_test

import (
	"dappertally/internal/dbtest"
	"dappertally/internal/store"
)

func init() { store.UpgradeDSN = dbtest.DSN }
