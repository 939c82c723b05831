package ops

import (
	"bufio"
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
	cmd := &cobra.Command{
		Use:   "backup FILE",
		Short: "Write everything that the database holds into a file",
		Long: "Write everything that the database holds into a compressed file: records, accounts, drafts, files and " +
			"published reports, as of one moment. The service goes on working meanwhile. The file holds hashes of passwords " +
			"and tokens: keep it where only you can read it.",
		Example: "  dtallyd backup /var/backups/dtally.gz --config /etc/dtally.yaml\n  dtallyd backup second-wind.gz --database " +
			"'dtally:SECRET@tcp(127.0.0.1:3306)/dtally'",
		Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			_, st, err := connect(cmd)
			if err != nil {
				return err
			}
			defer st.Close()
			var head store.DumpHead
			bar := newBar(cmd, "backing up")
			err = wholefile.WriteSecret(args[0], func(w io.Writer) error {
				packed := gzip.NewWriter(w)
				head, err = st.Dump(cmd.Context(), packed, time.Now(), bar.at)
				return errors.Join(err, packed.Close())
			})
			if err != nil {
				return fmt.Errorf("nothing was kept: %w", err)
			}
			if err := noteOnMachine(cmd, st.Store, "backed up", args[0]); err != nil {
				return err
			}
			number, hash, err := st.AuditHead(cmd.Context())
			if err != nil {
				return err
			}
			fmt.Fprintf(
				cmd.OutOrStdout(),
				"%s holds %d rows of %d tables, schema version %d\nThe audit trail ends with %d:%x\n",
				args[0],
				head.Rows(),
				len(head.Tables),
				head.Schema,
				number,
				hash,
			)
			return nil
		},
	}
	addSettings(cmd)
	return cmd
}

func restoreCommand() *cobra.Command {
	var trial bool
	cmd := &cobra.Command{
		Use:   "restore FILE",
		Short: "Put a backup into an empty database, all of it or nothing",
		Long: "Put a backup into a database that has no tables yet, all of it or nothing, and bring its schema up to date. " +
			"The file is read through first, and one that is damaged or not whole is refused. Broken off, as by a machine " +
			"that dies, it begins again when it is run again; until then, nothing else works with that database.",
		Example: "  dtallyd restore /var/backups/dtally.gz --dry-run\n  dtallyd restore /var/backups/dtally.gz --data " +
			"/var/lib/dtally-new\n  dtallyd restore /var/backups/dtally.gz --config " +
			"/etc/dtally.yaml",
		Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			file, err := os.Open(args[0])
			if err != nil {
				return err
			}
			defer file.Close()
			plain, err := unpacked(file)
			if err != nil {
				return err
			}
			head, err := store.CheckDump(plain)
			if err != nil {
				return fmt.Errorf("%s: %w", args[0], err)
			}
			says := fmt.Sprintf(
				"%d rows of %d tables, as of %s",
				head.Rows(),
				len(head.Tables),
				head.Made.Format("2 January 2006, 15:04 MST"),
			)
			if trial {
				fmt.Fprintf(cmd.OutOrStdout(), "%s is sound and holds %s; nothing was written\n", args[0], says)
				return nil
			}
			s, err := loadSettings(cmd.Flags())
			if err != nil {
				return err
			}
			st, err := reachOrMake(cmd.Context(), s)
			if err != nil {
				return err
			}
			defer st.Close()
			if plain, err = unpacked(file); err != nil {
				return err
			}
			if err := st.Restore(cmd.Context(), plain, newBar(cmd, "restoring").at); err != nil {
				return fmt.Errorf("nothing was restored: %w", err)
			}
			if err := noteOnMachine(cmd, st.Store, "restored", args[0]); err != nil {
				return err
			}
			fmt.Fprintf(cmd.OutOrStdout(), "restored %s\n", says)
			return nil
		},
	}
	addSettings(cmd)
	cmd.Flags().BoolVar(&trial, "dry-run", false, "only look through the file")
	return cmd
}

// unpacked reads a compressed file from its beginning.
func unpacked(file *os.File) (io.Reader, error) {
	if _, err := file.Seek(0, io.SeekStart); err != nil {
		return nil, err
	}
	plain, err := gzip.NewReader(bufio.NewReader(file))
	if err != nil {
		return nil, fmt.Errorf("%s is no backup of ours", file.Name())
	}
	return plain, nil
}

// bar shows progress on a terminal, of what takes over a second.
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

// noteOnMachine enters in the audit trail what was done with all of the records on this machine.
func noteOnMachine(cmd *cobra.Command, st *store.Store, done, file string) error {
	byCommand(cmd)
	return st.Note(cmd.Context(), "", time.Now(), done, "backup", filepath.Base(file), "")
}
