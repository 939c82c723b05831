package e2e

import (
	"context"
	"testing"
	"time"

	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"

	"dappertally/e2e/browser"
)

// TestRankingFollowsTheDrag drags a weight with the mouse: the page keeps drawing, and the ranking changes during the
// drag, not only at its end.
func TestRankingFollowsTheDrag(t *testing.T) {
	server := serve(t)
	ctx := tab(t)
	var got []float64
	for range 4 { // a busy machine gives no useful time
		if got = dragged(t, ctx, server); got[0] <= 50 && got[1] >= 10 {
			return
		}
	}
	t.Errorf("a frame takes %.1f ms, %.0f rankings were drawn", got[0], got[1])
}

// dragged drags a weight and returns the median time of a frame in milliseconds, and how many rankings were drawn.
func dragged(t *testing.T, ctx context.Context, server string) []float64 {
	t.Helper()
	do(t, ctx, browser.Look(1280, 800, "light"), chromedp.Navigate(server+"/weights"), browser.Settled())
	at, err := chromedp.Run(ctx, chromedp.Evaluate[[]float64](`(() => {
		window.drag = { frames: [], rankings: new Set() };
		const list = document.querySelector("ol[aria-label]");
		let last = performance.now();
		const frame = (now) => {
			drag.frames.push(now - last);
			last = now;
			drag.rankings.add(list.textContent);
			requestAnimationFrame(frame);
		};
		requestAnimationFrame(frame);
		const thumb = document.querySelector('[role=slider][aria-label="Performance"]').getBoundingClientRect();
		return [thumb.x + thumb.width / 2, thumb.y + thumb.height / 2];
	})()`))
	if err != nil {
		t.Fatal(err)
	}
	const moves = 90
	left := chromedp.ButtonType(input.MouseButtonLeft)
	do(t, ctx, chromedp.MouseEvent(chromedp.MousePressed, at[0], at[1], left))
	for i := range moves {
		next := time.Now().Add(time.Second / 60)
		do(t, ctx, chromedp.MouseEvent(chromedp.MouseMoved, at[0]+float64(i), at[1], left))
		time.Sleep(time.Until(next))
	}
	do(t, ctx, chromedp.MouseEvent(chromedp.MouseReleased, at[0]+moves, at[1], left))
	got, err := chromedp.Run(ctx, chromedp.Evaluate[[]float64](
		`[drag.frames.sort((a, b) => a - b)[drag.frames.length >> 1], drag.rankings.size]`,
	))
	if err != nil {
		t.Fatal(err)
	}
	t.Logf("%d moves: a frame takes %.1f ms in the median, %.0f rankings were drawn", moves, got[0], got[1])
	return got
}
