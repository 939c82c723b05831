package people

import "testing"

func TestPassword(t *testing.T) {
	hash := hashPassword("three-old-laptops")
	for _, c := range []struct {
		password, hash string
		want           bool
	}{
		{"three-old-laptops", hash, true},
		{"three-old-laptop", hash, false},
		{"", hash, false},
		{"three-old-laptops", "", false},
		{"", "", false},
		{"three-old-laptops", "$argon2id$v=19$m=1,t=1,p=1$x$y", false},
	} {
		if got := passwordFits(c.password, c.hash); got != c.want {
			t.Errorf("%q fits %.20q…: %v", c.password, c.hash, got)
		}
	}
	if hash == hashPassword("three-old-laptops") {
		t.Error("two hashes of one password are the same: no salt")
	}
}
