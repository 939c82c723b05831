package ops

import (
	"encoding/hex"
	"errors"
	"fmt"
	"os"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"dappertally/internal/store"
)

// byCommand records what a command does in the audit trail as done on this machine.
func byCommand(cmd *cobra.Command) {
	host, _ := os.Hostname() // an entry does not need it
	cmd.SetContext(store.WithOrigin(cmd.Context(), store.Origin{Way: "command", Address: host}))
}

func auditCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "audit",
		Short: "Check the audit trail",
		Long: "Every change, sign-in and export is an entry of the audit trail. Each entry has a hash over " +
			"itself and the entry before. If you save the newest hash elsewhere, you can later verify " +
			"that nothing before it was altered, removed or added.",
	}
	cmd.AddCommand(auditHead(), auditVerify())
	return cmd
}

func auditHead() *cobra.Command {
	cmd := &cobra.Command{
		Use:     "head",
		Short:   "Print the number and hash of the newest entry",
		Example: "  dtallyd audit head --config /etc/dtally.yaml\n  dtallyd audit head --config /etc/dtally.yaml > head.txt",
		Args:    cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			return onStore(cmd, func(st *store.Store) error {
				number, hash, err := st.AuditHead(cmd.Context())
				if err != nil {
					return err
				}
				fmt.Fprintf(cmd.OutOrStdout(), "%d:%x\n", number, hash)
				return nil
			})
		},
	}
	addSettings(cmd)
	return cmd
}

func auditVerify() *cobra.Command {
	var noted []string
	cmd := &cobra.Command{
		Use:   "verify",
		Short: "Verify the whole trail and show the first entry that was altered, removed or added",
		Example: "  dtallyd audit verify --config /etc/dtally.yaml\n" +
			"  dtallyd audit verify --config /etc/dtally.yaml --noted \"$(cat head.txt)\"",
		Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			return onStore(cmd, func(st *store.Store) error {
				entries, erased, err := st.VerifyAudit(cmd.Context())
				if err != nil {
					return fmt.Errorf("the audit trail is damaged: %w", err)
				}
				for _, text := range noted {
					if err := holds(cmd, st, text); err != nil {
						return err
					}
				}
				fmt.Fprintf(
					cmd.OutOrStdout(),
					"%d entries, all unaltered; of %d the details were erased\n",
					entries,
					erased,
				)
				return nil
			})
		},
	}
	addSettings(cmd)
	cmd.Flags().StringArrayVar(&noted, "noted", nil, "NUMBER:HASH that you saved, repeatable")
	return cmd
}

// holds compares the hash of an entry with one that was noted down.
func holds(cmd *cobra.Command, st *store.Store, text string) error {
	number, hash, _ := strings.Cut(text, ":")
	n, err := strconv.ParseInt(number, 10, 64)
	want, wrong := hex.DecodeString(hash)
	if err != nil || wrong != nil || len(want) != 32 {
		return fmt.Errorf("--noted takes NUMBER:HASH as printed by dtallyd audit head, not %q", text)
	}
	is, err := st.AuditHashOf(cmd.Context(), n)
	if errors.Is(err, store.ErrNotFound) {
		return fmt.Errorf("the audit trail has no entry %d: it was removed, or is older than the entries that are kept", n)
	}
	if err != nil {
		return err
	}
	if hex.EncodeToString(is) != strings.ToLower(hash) {
		return fmt.Errorf("entry %d differs from the saved hash; the trail up to there was rewritten", n)
	}
	return nil
}
