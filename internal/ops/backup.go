package ops

import (
	"compress/gzip"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"time"

	"github.com/schollz/progressbar/v3"
	"github.com/spf13/cobra"
	"golang.org/x/term"

	"dappertally/internal/store"
	"dappertally/internal/wholefile"
)

func backupCommand() *cobra.Command {
	var s sealing
	var folder string
	var keep int
	cmd := &cobra.Command{
		Use:   "backup [FILE]",
		Short: "Write the whole database to a file",
		Long: "Write the whole database to a compressed file: records, accounts, drafts, files and " +
			"published reports, as of one moment. The service keeps running.\n\n" +
			"With --to FOLDER the file is named by the time, its SHA-256 is written beside it, and only " +
			"the newest files are kept.\n\n" +
			"The file has hashes of passwords and tokens: store it where only you can read it, or " +
			"encrypt it with --recipient to a public key of age. Only the private key can read it; the " +
			"service does not need that key.",
		Example: "  dtallyd backup /var/backups/dtally.gz --config /etc/dtally.yaml\n" +
			"  dtallyd backup --to /var/backups/dtally --keep 14 --data /var/lib/dtally",
		Args: cobra.MaximumNArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			if (len(args) == 1) == (folder != "") {
				return errors.New("name a file, or a folder with --to")
			}
			if folder == "" {
				if cmd.Flags().Changed("keep") {
					return errors.New("--keep goes with --to")
				}
				return backUp(cmd, args[0], &s)
			}
			return backUpInto(cmd, folder, keep, &s)
		},
	}
	addSettings(cmd)
	cmd.Flags().StringVar(&folder, "to", "", "folder for backups, each named by its time")
	cmd.Flags().IntVar(&keep, "keep", 14, "number of backups to keep in that folder")
	cmd.Flags().StringArrayVar(&s.recipients, "recipient", nil, "encrypt to this public key of age (age1…); repeatable")
	cmd.Flags().StringVar(&s.recipientsFile, "recipients-file", "", "encrypt to the public keys listed in a file")
	cmd.AddCommand(backupVerify())
	return cmd
}

// backUpInto makes a backup in a series.
func backUpInto(cmd *cobra.Command, folder string, keep int, s *sealing) error {
	in, err := openSeries(folder, keep)
	if err != nil {
		return err
	}
	defer in.close()
	name := in.name(time.Now(), s.sealed())
	if err := backUp(cmd, name, s); err != nil {
		return err
	}
	if err := writeSum(name); err != nil {
		return err
	}
	removed, err := in.thin()
	for _, old := range removed {
		fmt.Fprintf(cmd.OutOrStdout(), "removed %s\n", old)
	}
	return err
}

// backUp writes a backup to a file.
func backUp(cmd *cobra.Command, name string, s *sealing) error {
	if _, err := s.to(); err != nil { // before the database is used
		return err
	}
	_, st, err := connect(cmd)
	if err != nil {
		return err
	}
	defer st.Close()
	var head store.DumpHead
	bar := newBar(cmd, "backing up")
	err = wholefile.WriteSecret(name, func(w io.Writer) error {
		sealed, err := s.seal(w)
		if err != nil {
			return err
		}
		packed := gzip.NewWriter(sealed)
		head, err = st.Dump(cmd.Context(), packed, time.Now(), bar.at)
		return errors.Join(err, packed.Close(), sealed.Close())
	})
	if err != nil {
		return fmt.Errorf("no backup was written: %w", err)
	}
	if err := noteOnMachine(cmd, st.Store, "backed up", name); err != nil {
		return err
	}
	fmt.Fprintf(cmd.OutOrStdout(), "%s has %d rows of %d tables, schema version %d\n"+
		"The audit trail ends with %s\n",
		name, head.Rows(), len(head.Tables), head.Schema, head.Audit)
	if head.Binlog != "" {
		fmt.Fprintf(cmd.OutOrStdout(), "MariaDB's binary log was at %s\n", head.Binlog)
	}
	return nil
}

func restoreCommand() *cobra.Command {
	var trial bool
	var s sealing
	cmd := &cobra.Command{
		Use:   "restore FILE",
		Short: "Restore a backup into an empty database, all of it or nothing",
		Long: "Restore a backup into a database without tables, all of it or nothing, and upgrade its " +
			"schema. The file is checked first; a damaged or incomplete file is refused. If the restore " +
			"is interrupted, run it again; until then, nothing else can use that database.",
		Example: "  dtallyd restore /var/backups/dtally.gz --dry-run\n  dtallyd restore /var/backups/dtally.gz --data " +
			"/var/lib/dtally-new\n  dtallyd restore /var/backups/dtally.gz --config /etc/dtally.yaml",
		Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			head, _, err := readBackup(args[0], &s)
			if err != nil {
				return err
			}
			if trial {
				fmt.Fprintf(cmd.OutOrStdout(), "%s is valid and has %s; nothing was written\n", args[0], holding(&head))
				return nil
			}
			return restore(cmd, args[0], &s, &head)
		},
	}
	addSettings(cmd)
	cmd.Flags().BoolVar(&trial, "dry-run", false, "only check the file")
	cmd.Flags().StringVar(&s.identityFile, "identity", "", identityHelp)
	return cmd
}

func restore(cmd *cobra.Command, name string, sealed *sealing, head *store.DumpHead) error {
	s, err := loadSettings(cmd.Flags())
	if err != nil {
		return err
	}
	st, err := reachOrMake(cmd.Context(), s)
	if err != nil {
		return err
	}
	defer st.Close()
	if err := restoreFile(cmd.Context(), st.Store, name, sealed, newBar(cmd, "restoring").at); err != nil {
		return fmt.Errorf("nothing was restored: %w", err)
	}
	if _, err := st.Migrate(cmd.Context()); err != nil {
		return err
	}
	if err := noteOnMachine(cmd, st.Store, "restored", name); err != nil {
		return err
	}
	fmt.Fprintf(cmd.OutOrStdout(), "restored %s\n", holding(head))
	return nil
}

// bar shows progress on a terminal if it takes over a second.
type bar struct {
	cmd   *cobra.Command
	what  string
	began time.Time
	drawn *progressbar.ProgressBar
}

func newBar(cmd *cobra.Command, what string) *bar {
	return &bar{cmd: cmd, what: what, began: time.Now()}
}

func (b *bar) at(done, of int) {
	if b.drawn == nil {
		errs, ok := b.cmd.ErrOrStderr().(*os.File)
		if !ok || time.Since(b.began) < time.Second || !term.IsTerminal(int(errs.Fd())) {
			return
		}
		b.drawn = progressbar.NewOptions(
			of,
			progressbar.OptionSetWriter(errs),
			progressbar.OptionSetDescription(b.what),
			progressbar.OptionShowCount(),
			progressbar.OptionThrottle(100*time.Millisecond),
			progressbar.OptionClearOnFinish(),
		)
	}
	_ = b.drawn.Set(done) // a bar that cannot be drawn stops nothing
}

// noteOnMachine records in the audit trail what was done with all records on this machine.
func noteOnMachine(cmd *cobra.Command, st *store.Store, done, file string) error {
	byCommand(cmd)
	return st.Note(cmd.Context(), "", time.Now(), done, "backup", filepath.Base(file), "")
}
