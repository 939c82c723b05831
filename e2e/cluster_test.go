package e2e

import (
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"dappertally/internal/dbtest"
	"dappertally/internal/trial"
)

// TestFaults kills a database node and an instance of a cluster, cuts the node's network if it has one of its own, and
// kills the parts of a single machine, while there are writers and readers. make faults is the long form.
func TestFaults(t *testing.T) {
	dir := dbtest.Folder(t)
	o := trial.Options{Dir: dir, Program: filepath.Join(bin, "dtallyd"), Size: 3, Listen: "127.0.0.1:0", Network: true}
	var err error
	if o.Listen, err = trial.FreeAddress(); err != nil {
		t.Fatal(err)
	}
	single := filepath.Join(dir, "one")
	if err := os.Mkdir(single, 0o711); err != nil {
		t.Fatal(err)
	}
	alone := o
	alone.Dir = single
	wrong, err := trial.OneMachine(t.Context(), alone, 2, t.Output())
	if err != nil || len(wrong) > 0 {
		t.Errorf("on one machine: %v\n%s", err, strings.Join(wrong, "\n"))
	}
	cluster, err := trial.Start(t.Context(), o)
	if err != nil {
		t.Fatal(err)
	}
	defer func() {
		if err := cluster.Stop(); err != nil {
			t.Error(err)
		}
	}()
	balanced(t, cluster)
	some := []string{"node 1 is killed", "instance 1 is killed"}
	if cluster.Networked() {
		some = append(some, trial.CutOff)
	}
	results, wrong, err := cluster.RunFaults(
		t.Context(), 1, func(name string) bool { return slices.Contains(some, name) }, t.Output())
	if err != nil || len(wrong) > 0 {
		t.Errorf("in a cluster: %v\n%s", err, strings.Join(wrong, "\n"))
	}
	if len(results) != 1+2*len(some) {
		t.Errorf("what happened: %+v", results)
	}
}

// balanced requires that the balancer reaches all instances, and keeps a browser on one.
func balanced(t *testing.T, cluster *trial.Trial) {
	t.Helper()
	met := map[string]int{}
	for range 12 {
		answer, err := http.Get(cluster.Address + "/api/v1/about")
		if err != nil {
			t.Fatal(err)
		}
		answer.Body.Close()
		cookies := answer.Cookies()
		if answer.StatusCode != http.StatusOK || len(cookies) != 1 {
			t.Fatalf("through the balancer: %s, %d cookies", answer.Status, len(cookies))
		}
		met[cookies[0].Value]++
	}
	if len(met) != 3 {
		t.Errorf("the balancer leads to %v", met)
	}
}
