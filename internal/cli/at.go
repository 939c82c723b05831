package cli

import (
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"dappertally/internal/client"
	"dappertally/internal/contract"
	"dappertally/internal/tables"
)

// bearings are the defaults for the next commands, so that they need not be typed again.
type bearings struct {
	Server  string `json:"server"` // they are valid only for this service
	Review  string `json:"review,omitempty"`
	Edition string `json:"edition,omitempty"`
	Rig     string `json:"rig,omitempty"`
	Method  string `json:"method,omitempty"`
	Setup   string `json:"setup,omitempty"`
	Phase   string `json:"phase,omitempty"`
	System  string `json:"system,omitempty"`
}

// String returns the line that is shown with every answer that uses them.
func (b *bearings) String() string {
	parts := []string{"at " + b.Edition}
	for _, p := range []struct{ name, value string }{{"on", b.Rig}, {"by", b.Method}, {"setup", b.Setup}, {"phase", b.Phase}, {"in state", b.System}} {
		if p.value != "" {
			parts = append(parts, p.name+" "+p.value)
		}
	}
	return strings.Join(parts, ", ")
}

func bearingsFile() (string, error) {
	dir, err := os.UserConfigDir()
	if err != nil {
		return "", fmt.Errorf("there is no folder to save it in: %w", err)
	}
	return filepath.Join(dir, "dtally", "at.json"), nil
}

// readBearings returns what was set for the service of this call; nothing, without an error, if nothing was.
func (s *session) readBearings() (bearings, error) {
	var b bearings
	file, err := bearingsFile()
	if err != nil {
		return b, nil
	}
	data, err := os.ReadFile(file)
	if errors.Is(err, os.ErrNotExist) {
		return b, nil
	}
	if err != nil {
		return b, err
	}
	if err := json.Unmarshal(data, &b); err != nil {
		return bearings{}, fmt.Errorf("%s is damaged; set it again with dtally at: %w", file, err)
	}
	kept, err := readLogin()
	if err != nil || b.Server != s.address(kept) {
		return bearings{}, err
	}
	return b, nil
}

func keepBearings(b *bearings) error {
	file, err := bearingsFile()
	if err != nil {
		return err
	}
	data, err := json.MarshalIndent(b, "", "  ")
	if err != nil {
		return err
	}
	if err := os.MkdirAll(filepath.Dir(file), 0o700); err != nil {
		return err
	}
	return os.WriteFile(file, append(data, '\n'), 0o600)
}

// reviewVar defines the flag that names the review of a command, for atReview.
func reviewVar(f *pflag.FlagSet, p *string) {
	const usage = "id of the review, or its edition if only one is open (default: set with dtally at)"
	f.StringVar(p, "review", "", usage)
}

// atReview finds the review of a command: as its flag says, or as dtally at has set it, which is then shown on
// standard error.
func (s *session) atReview(
	cmd *cobra.Command,
	c *client.Client,
	named string,
) (client.Got[contract.Review], bearings, error) {
	if named != "" {
		r, err := s.findReview(cmd, c, named)
		return r, bearings{}, err
	}
	b, err := s.readBearings()
	if err != nil {
		return client.Got[contract.Review]{}, b, err
	}
	if b.Review == "" {
		return client.Got[contract.Review]{}, b, wrongUsage(
			"name the review with --review, or set it for the next commands with dtally at REVIEW",
		)
	}
	fmt.Fprintln(cmd.ErrOrStderr(), b.String())
	r, err := s.findReview(cmd, c, b.Review)
	return r, b, err
}

var atTable = tables.Define("at", "the default for recording",
	tables.Text("review", "Review", "its id"),
	tables.Text("edition", "Edition", "its key"),
	tables.Text("rig", "Rig", "its key"),
	tables.Text("method", "Method", "of measuring"),
	tables.Text("setup", "Setup", "of the system"),
	tables.Text("phase", "Phase", "of the review"),
	tables.Text("state", "State", "id of the system state"),
)

func (s *session) atCommand() *cobra.Command {
	var b bearings
	var clear bool
	cmd := &cobra.Command{
		Use:   "at [REVIEW]",
		Short: "Set or show the defaults for the next commands",
		Long: "Set the review, rig, method, setup, phase and system state that the next commands use by " +
			"default. Without REVIEW, flags change the defaults. Without REVIEW and flags, the defaults " +
			"are shown. Each command that uses a default names it.",
		Example: "  dtally at quaymark/22.1/latchwork --rig bench-old --phase updated\n  dtally at --rig bench-new",
		Args:    args(0, 1),
		RunE: func(cmd *cobra.Command, a []string) error {
			if clear {
				return keepBearings(&bearings{})
			}
			now, err := s.readBearings()
			if err != nil {
				return err
			}
			if len(a) > 0 {
				if now, err = s.bearingsAt(cmd, a[0]); err != nil {
					return err
				}
			}
			if now.Review == "" {
				return fmt.Errorf("%w: nothing is set; name a review", errNotFound)
			}
			for name, field := range map[string]struct{ from, to *string }{
				"rig": {&b.Rig, &now.Rig}, "method": {&b.Method, &now.Method}, "setup": {&b.Setup, &now.Setup}, "phase": {&b.Phase, &now.Phase}, "system": {&b.System, &now.System},
			} {
				if cmd.Flags().Changed(name) {
					*field.to = *field.from
				}
			}
			if err := keepBearings(&now); err != nil {
				return err
			}
			t := sheetOf(atTable)
			t.Add(now.Review, now.Edition, now.Rig, now.Method, now.Setup, now.Phase, now.System)
			return s.print(cmd, now, t)
		},
	}
	f := cmd.Flags()
	f.StringVar(&b.Rig, "rig", "", "the rig")
	f.StringVar(&b.Method, "method", "", "the method, if not the one in the criterion")
	f.StringVar(&b.Setup, "setup", "", "the setup, if not the one in the criterion")
	f.StringVar(&b.Phase, "phase", "", "the phase, if not the one in the criterion")
	f.StringVar(&b.System, "system", "", "the system state")
	f.BoolVar(&clear, "clear", false, "clear all defaults")
	return cmd
}

func (s *session) bearingsAt(cmd *cobra.Command, review string) (bearings, error) {
	c, err := s.connect()
	if err != nil {
		return bearings{}, err
	}
	r, err := s.findReview(cmd, c, review)
	if err != nil {
		return bearings{}, err
	}
	kept, err := readLogin()
	return bearings{Server: s.address(kept), Review: r.Value.Id, Edition: r.Value.Edition}, err
}
