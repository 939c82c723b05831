package reviewing

import (
	"bytes"
	"context"
	"fmt"
	"image"
	_ "image/gif" // the formats of Pictures
	_ "image/jpeg"
	_ "image/png"
	"slices"

	_ "golang.org/x/image/webp"

	"dappertally/internal/ledger"
)

// largestPicture is the largest picture in pixels; a small file can claim many.
const largestPicture = 64 << 20

// brokenPicture returns what is wrong with a file that a browser would take for a picture; empty if it can be shown,
// or is not a picture.
func (s *Service) brokenPicture(ctx context.Context, hash []byte, mediaType string) (string, error) {
	if !slices.Contains(Pictures, mediaType) {
		return "", nil
	}
	var content bytes.Buffer
	if err := s.ledger.Store.WriteFile(ctx, hash, &content); err != nil {
		return "", ledger.Failed(err, "reading a file")
	}
	config, _, err := image.DecodeConfig(bytes.NewReader(content.Bytes()))
	if err != nil {
		return "the picture is damaged: take it again, or save it again", nil
	}
	if config.Width*config.Height > largestPicture {
		return fmt.Sprintf("the picture has %d × %d pixels; make it smaller", config.Width, config.Height), nil
	}
	if _, _, err := image.Decode(bytes.NewReader(content.Bytes())); err != nil {
		return "the picture is damaged: take it again, or save it again", nil
	}
	return "", nil
}
