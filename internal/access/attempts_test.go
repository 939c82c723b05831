package access

import (
	"testing"
	"time"
)

func TestAttemptsAreBounded(t *testing.T) {
	a := NewAttempts(Every(6*time.Second, 10))
	allowed := 0
	for range 50 {
		if a.Allow("name ines") {
			allowed++
		}
	}
	if allowed < 5 || allowed > 11 {
		t.Errorf("%d of 50 attempts at once were allowed", allowed)
	}
	if !a.Allow("name tomas") {
		t.Error("somebody else's attempts count for tomas")
	}
}
