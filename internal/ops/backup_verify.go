package ops

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"slices"
	"time"

	"github.com/spf13/cobra"

	"dappertally/internal/localdb"
	"dappertally/internal/store"
)

func backupVerify() *cobra.Command {
	var s sealing
	var scratch string
	cmd := &cobra.Command{
		Use:   "verify FILE",
		Short: "Restore a backup into a temporary private database, and compare",
		Long: "Restore a backup into a private database in a temporary folder, read everything back, and " +
			"compare it with the file table by table. Then upgrade that database's schema and verify its " +
			"audit trail. The database of the service is not used; the folder is removed.",
		Example: "  dtallyd backup verify /var/backups/dtally/dtally-20261130T020000Z.gz\n" +
			"  dtallyd backup verify dtally-20261130T020000Z.gz.age --identity /root/backup.key",
		Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			return verifyBackup(cmd, args[0], &s, scratch)
		},
	}
	cmd.Flags().StringVar(&s.identityFile, "identity", "", identityHelp)
	cmd.Flags().StringVar(&scratch, "scratch", "", "folder for the temporary database (default: the system's temporary folder)")
	return cmd
}

const identityHelp = "file with a private key of age, for an encrypted backup"

func verifyBackup(cmd *cobra.Command, name string, s *sealing, scratch string) error {
	ctx := cmd.Context()
	head, digests, err := readBackup(name, s)
	if err != nil {
		return err
	}
	dir, err := os.MkdirTemp(scratch, "dtally-verify-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	if err := os.Chmod(dir, 0o711); err != nil { // started by root, the database runs as another user
		return err
	}
	st, err := privately(ctx, func() (*localdb.Server, error) { return localdb.Start(ctx, dir) })
	if err != nil {
		return err
	}
	defer st.Close()
	if err := restoreFile(ctx, st.Store, name, s, newBar(cmd, "restoring").at); err != nil {
		return fmt.Errorf("%s cannot be restored: %w", name, err)
	}
	if err := sameAs(ctx, st.Store, head, digests); err != nil {
		return fmt.Errorf("%s differs after it is restored: %w", name, err)
	}
	applied, err := st.Migrate(ctx)
	if err != nil {
		return fmt.Errorf("%s cannot be upgraded: %w", name, err)
	}
	entries, _, err := st.VerifyAudit(ctx)
	if err != nil {
		return fmt.Errorf("the audit trail in %s is damaged: %w", name, err)
	}
	fmt.Fprintf(cmd.OutOrStdout(),
		"%s is good: %s were restored and read back unchanged.\n"+
			"Its schema has version %d; %d migrations upgrade it. Its audit trail is complete: %d "+
			"entries, up to %s\n",
		name, holding(&head), head.Schema, applied, entries, cmp.Or(head.Audit, "(not noted)"))
	return nil
}

// readBackup reads a whole backup, and refuses a damaged one.
func readBackup(name string, s *sealing) (head store.DumpHead, digests map[string]store.Digest, err error) {
	if err := checkSum(name); err != nil {
		return head, nil, err
	}
	file, err := os.Open(name)
	if err != nil {
		return head, nil, err
	}
	defer file.Close()
	plain, err := s.unpacked(file)
	if err != nil {
		return head, nil, err
	}
	if head, digests, err = store.DigestDump(plain); err != nil {
		err = fmt.Errorf("%s: %w", name, err)
	}
	return head, digests, err
}

// restoreFile restores a backup into an empty database.
func restoreFile(ctx context.Context, st *store.Store, name string, s *sealing, progress func(rows, of int)) error {
	file, err := os.Open(name)
	if err != nil {
		return err
	}
	defer file.Close()
	plain, err := s.unpacked(file)
	if err != nil {
		return err
	}
	return st.Restore(ctx, plain, progress)
}

// sameAs reads everything back and compares it.
func sameAs(ctx context.Context, st *store.Store, head store.DumpHead, digests map[string]store.Digest) error {
	from, to := io.Pipe()
	dumped := make(chan error, 1)
	go func() {
		_, err := st.Dump(ctx, to, time.Now(), func(int, int) {})
		dumped <- errors.Join(err, to.CloseWithError(err))
	}()
	again, is, err := store.DigestDump(from)
	from.Close()
	if err := errors.Join(err, <-dumped); err != nil {
		return err
	}
	if len(again.Tables) != len(head.Tables) {
		return fmt.Errorf("%d tables instead of %d", len(again.Tables), len(head.Tables))
	}
	for i, t := range head.Tables {
		now := again.Tables[i]
		if now.Name != t.Name || now.Rows != t.Rows || !slices.Equal(now.Columns, t.Columns) ||
			is[t.Name] != digests[t.Name] {
			return fmt.Errorf("table %s differs", t.Name)
		}
	}
	return nil
}

// holding describes what a backup holds.
func holding(head *store.DumpHead) string {
	return fmt.Sprintf("%d rows of %d tables, as of %s",
		head.Rows(), len(head.Tables), head.Made.Format("2 January 2006, 15:04 MST"))
}
