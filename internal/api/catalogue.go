package api

import (
	"context"
	"slices"
	"strconv"
	"strings"

	"dappertally/core/catalogue"
	"dappertally/core/measuring"
	"dappertally/internal/contract"
	"dappertally/internal/ledger"
	"dappertally/internal/problem"
)

func itoa(n int64) string { return strconv.FormatInt(n, 10) }

// state returns the records after the change that the caller names.
func (h *handlers) state(ctx context.Context) (*ledger.Records, error) {
	after, err := h.after(ctx)
	if err != nil {
		return nil, err
	}
	return h.ledger.State(ctx, after)
}

// after returns the change that the caller wants to see.
func (h *handlers) after(ctx context.Context) (int64, error) {
	text := request(ctx).GetHeader("Dtally-After")
	if text == "" {
		return 0, nil
	}
	n, err := strconv.ParseInt(text, 10, 64)
	if err != nil || n < 0 {
		return 0, problem.New(problem.Invalid, "the header Dtally-After must be the number of a change")
	}
	return n, nil
}

// found adds the revision of the shown object to the answer.
func found(ctx context.Context, what string, refs map[string]ledger.Ref, key string) error {
	ref, ok := refs[key]
	if !ok {
		return problem.New(problem.NotFound, "there is no %s %s", what, key)
	}
	request(ctx).Set(keyRevision, ref.Revision)
	return nil
}

// written waits until a write is visible and adds its number to the answer.
func (h *handlers) written(ctx context.Context, change int64) (*ledger.Records, error) {
	if c := request(ctx); whoAsks(c).SignedIn() { // numbers would show readers how much is done without them
		c.Header("Dtally-Change", itoa(change))
	}
	return h.ledger.State(ctx, change)
}

// sameKey refuses an edit whose body and address name different objects.
func sameKey(pointer, inPath, inBody string) error {
	if inPath == inBody {
		return nil
	}
	return problem.New(
		problem.Conflict,
		"the address names %s, but %s in the body is %s; it cannot be changed here",
		inPath,
		pointer,
		inBody,
	)
}

// sameEntry is sameKey for entries of the catalogue and rigs, which can have older keys.
func (h *handlers) sameEntry(ctx context.Context, pointer, inPath, inBody string) error {
	st, err := h.state(ctx)
	if err != nil {
		return err
	}
	now := st.Catalogue.Resolve
	if pointer == "rig" {
		now = st.Catalogue.ResolveRig
	}
	if now(inPath) == now(inBody) {
		return nil
	}
	return sameKey(pointer, inPath, inBody)
}

func (h *handlers) ListDistributions(
	ctx context.Context,
	r ListDistributionsRequest,
) (*contract.DistributionList, error) {
	st, err := h.state(ctx)
	if err != nil {
		return nil, err
	}
	all := slices.DeleteFunc(slices.Clone(st.Catalogue.Distributions), func(d catalogue.Distribution) bool {
		return (r.Params.Family != "" && !slices.Contains(d.Family, r.Params.Family)) ||
			(r.Params.Model != "" && d.Model != string(r.Params.Model))
	})
	some, next, err := page(
		all, func(d catalogue.Distribution) string { return d.Key }, r.Params.Limit, r.Params.Cursor,
	)
	if err != nil {
		return nil, err
	}
	list := contract.DistributionList{Distributions: []contract.Distribution{}, Next: next}
	for i := range some {
		list.Distributions = append(list.Distributions, distribution(&some[i]))
	}
	return &list, nil
}

func distribution(d *catalogue.Distribution) contract.Distribution {
	return contract.Distribution{
		Key:     d.Key,
		Name:    d.Name,
		Family:  d.Family,
		Model:   contract.Model(d.Model),
		Aim:     d.Aim,
		Retired: d.Retired,
	}
}

func coreDistribution(d *contract.Distribution) *catalogue.Distribution {
	return &catalogue.Distribution{
		Key:     d.Key,
		Name:    d.Name,
		Family:  d.Family,
		Model:   string(d.Model),
		Aim:     d.Aim,
		Retired: d.Retired,
	}
}

func (h *handlers) AddDistribution(ctx context.Context, r AddDistributionRequest) (*contract.Distribution, error) {
	n, err := h.cataloguing.AddDistribution(ctx, whoAsks(request(ctx)), coreDistribution(r.Body))
	if err != nil {
		return nil, err
	}
	if _, err := h.written(ctx, n); err != nil {
		return nil, err
	}
	return r.Body, nil
}

func (h *handlers) ShowDistribution(ctx context.Context, r ShowDistributionRequest) (*contract.Distribution, error) {
	st, err := h.state(ctx)
	if err != nil {
		return nil, err
	}
	d, err := findDistribution(ctx, st, r.Distribution)
	if err != nil {
		return nil, err
	}
	return new(distribution(d)), nil
}

func findDistribution(ctx context.Context, st *ledger.Records, key string) (*catalogue.Distribution, error) {
	key = st.Catalogue.Resolve(key)
	if err := found(ctx, "distribution", st.Catalogue.Versions, key); err != nil {
		return nil, err
	}
	return st.Catalogue.Distribution(key), nil
}

func (h *handlers) EditDistribution(ctx context.Context, r EditDistributionRequest) (*contract.Distribution, error) {
	if err := h.sameEntry(ctx, "distribution", r.Distribution, r.Body.Key); err != nil {
		return nil, err
	}
	n, err := h.cataloguing.EditDistribution(
		ctx, whoAsks(request(ctx)), version(r.Params.IfMatch), coreDistribution(r.Body),
	)
	if err != nil {
		return nil, err
	}
	st, err := h.written(ctx, n)
	if err != nil {
		return nil, err
	}
	d, err := findDistribution(ctx, st, r.Distribution)
	if err != nil {
		return nil, err
	}
	return new(distribution(d)), nil
}

func (h *handlers) ListReleases(ctx context.Context, r ListReleasesRequest) (*contract.ReleaseList, error) {
	st, err := h.state(ctx)
	if err != nil {
		return nil, err
	}
	all := []contract.Release{}
	for _, d := range st.Catalogue.Distributions {
		if r.Params.Distribution != "" && d.Key != r.Params.Distribution {
			continue
		}
		for i := range d.Releases {
			all = append(all, release(d.Key, &d.Releases[i]))
		}
	}
	some, next, err := page(
		all,
		func(x contract.Release) string { return x.Distribution + "/" + x.Version },
		r.Params.Limit,
		r.Params.Cursor,
	)
	if err != nil {
		return nil, err
	}
	return &contract.ReleaseList{Releases: some, Next: next}, nil
}

func release(distribution string, r *catalogue.Release) contract.Release {
	return contract.Release{
		Distribution: distribution, Version: r.Version, Codename: r.Codename, Date: r.Date, Tier: contract.ReleaseTier(r.Tier), Stage: contract.ReleaseStage(r.Stage),
		EndOfSupport: r.EndOfSupport, Replaces: r.Replaces, BasedOn: r.BasedOn, Retired: r.Retired,
	}
}

func coreRelease(r *contract.Release) *catalogue.Release {
	return &catalogue.Release{
		Version: r.Version, Codename: r.Codename, Date: r.Date, Tier: string(r.Tier), Stage: string(r.Stage),
		EndOfSupport: r.EndOfSupport, Replaces: r.Replaces, BasedOn: r.BasedOn, Retired: r.Retired,
	}
}

func (h *handlers) AddRelease(ctx context.Context, r AddReleaseRequest) (*contract.Release, error) {
	n, err := h.cataloguing.AddRelease(ctx, whoAsks(request(ctx)), r.Body.Distribution, coreRelease(r.Body))
	if err != nil {
		return nil, err
	}
	if _, err := h.written(ctx, n); err != nil {
		return nil, err
	}
	return r.Body, nil
}

func (h *handlers) ShowRelease(ctx context.Context, r ShowReleaseRequest) (*contract.Release, error) {
	st, err := h.state(ctx)
	if err != nil {
		return nil, err
	}
	x, of, err := findRelease(ctx, st, r.Distribution, r.Release)
	if err != nil {
		return nil, err
	}
	return new(release(of, x)), nil
}

// findRelease finds a release by its current or an older key, and returns the key of its distribution too.
func findRelease(
	ctx context.Context,
	st *ledger.Records,
	distribution, version string,
) (*catalogue.Release, string, error) {
	key := st.Catalogue.Resolve(distribution + "/" + version)
	if err := found(ctx, "release", st.Catalogue.Versions, key); err != nil {
		return nil, "", err
	}
	distribution, _, _ = strings.Cut(key, "/")
	return st.Catalogue.Release(key), distribution, nil
}

func (h *handlers) EditRelease(ctx context.Context, r EditReleaseRequest) (*contract.Release, error) {
	if err := h.sameEntry(ctx, "release", r.Distribution+"/"+r.Release, r.Body.Distribution+"/"+r.Body.Version); err != nil {
		return nil, err
	}
	n, err := h.cataloguing.EditRelease(
		ctx, whoAsks(request(ctx)), version(r.Params.IfMatch), r.Distribution, coreRelease(r.Body),
	)
	if err != nil {
		return nil, err
	}
	st, err := h.written(ctx, n)
	if err != nil {
		return nil, err
	}
	x, of, err := findRelease(ctx, st, r.Distribution, r.Release)
	if err != nil {
		return nil, err
	}
	return new(release(of, x)), nil
}

func (h *handlers) ListEditions(ctx context.Context, r ListEditionsRequest) (*contract.EditionList, error) {
	st, err := h.state(ctx)
	if err != nil {
		return nil, err
	}
	all := []contract.Edition{}
	for _, d := range st.Catalogue.Distributions {
		for _, rel := range d.Releases {
			for i := range rel.Editions {
				e := edition(d.Key, rel.Version, &rel.Editions[i])
				if (r.Params.Distribution == "" || r.Params.Distribution == d.Key) &&
					(r.Params.Release == "" || r.Params.Release == rel.Version) &&
					(r.Params.Desktop == "" || r.Params.Desktop == e.Desktop) {
					all = append(all, e)
				}
			}
		}
	}
	some, next, err := page(
		all,
		func(e contract.Edition) string { return catalogue.EditionKey(e.Distribution, e.Release, e.Key) },
		r.Params.Limit,
		r.Params.Cursor,
	)
	if err != nil {
		return nil, err
	}
	return &contract.EditionList{Editions: some, Next: next}, nil
}

func edition(distribution, release string, e *catalogue.Edition) contract.Edition {
	return contract.Edition{
		Distribution: distribution, Release: release, Key: e.Key, Line: e.Line, Desktop: e.Desktop, Architecture: e.Architecture,
		Profile: e.Profile, Purpose: e.Purpose, MemoryMiB: e.Needs.MemoryMiB, DiskGiB: e.Needs.DiskGiB, Retired: e.Retired,
	}
}

func coreEdition(e *contract.Edition) *catalogue.Edition {
	return &catalogue.Edition{
		Key: e.Key, Line: e.Line, Desktop: e.Desktop, Architecture: e.Architecture, Profile: e.Profile, Purpose: e.Purpose,
		Needs: catalogue.Needs{MemoryMiB: e.MemoryMiB, DiskGiB: e.DiskGiB}, Retired: e.Retired,
	}
}

func (h *handlers) AddEdition(ctx context.Context, r AddEditionRequest) (*contract.Edition, error) {
	e := coreEdition(r.Body)
	n, err := h.cataloguing.AddEdition(ctx, whoAsks(request(ctx)), r.Body.Distribution+"/"+r.Body.Release, e)
	if err != nil {
		return nil, err
	}
	if _, err := h.written(ctx, n); err != nil {
		return nil, err
	}
	return new(edition(r.Body.Distribution, r.Body.Release, e)), nil
}

func (h *handlers) ShowEdition(ctx context.Context, r ShowEditionRequest) (*contract.Edition, error) {
	st, err := h.state(ctx)
	if err != nil {
		return nil, err
	}
	e, err := findEdition(ctx, st, r.Distribution, r.Release, r.Edition)
	if err != nil {
		return nil, err
	}
	return &e, nil
}

func findEdition(ctx context.Context, st *ledger.Records, distribution, release, key string) (contract.Edition, error) {
	full := st.Catalogue.Resolve(catalogue.EditionKey(distribution, release, key))
	if err := found(ctx, "edition", st.Catalogue.Versions, full); err != nil {
		return contract.Edition{}, err
	}
	e, _ := st.Edition(full)
	distribution, release, _, _ = catalogue.SplitEdition(full)
	return edition(distribution, release, &e), nil
}

func (h *handlers) EditEdition(ctx context.Context, r EditEditionRequest) (*contract.Edition, error) {
	b := r.Body
	if err := h.sameEntry(ctx, "edition", catalogue.EditionKey(r.Distribution, r.Release, r.Edition), catalogue.EditionKey(b.Distribution, b.Release, b.Key)); err != nil {
		return nil, err
	}
	n, err := h.cataloguing.EditEdition(
		ctx, whoAsks(request(ctx)), version(r.Params.IfMatch), r.Distribution+"/"+r.Release, coreEdition(b),
	)
	if err != nil {
		return nil, err
	}
	st, err := h.written(ctx, n)
	if err != nil {
		return nil, err
	}
	e, err := findEdition(ctx, st, r.Distribution, r.Release, r.Edition)
	if err != nil {
		return nil, err
	}
	return &e, nil
}

func (h *handlers) ListRigs(ctx context.Context, r ListRigsRequest) (*contract.RigList, error) {
	st, err := h.state(ctx)
	if err != nil {
		return nil, err
	}
	some, next, err := page(
		st.Catalogue.Rigs, func(x catalogue.Rig) string { return x.Key }, r.Params.Limit, r.Params.Cursor,
	)
	if err != nil {
		return nil, err
	}
	return &contract.RigList{Rigs: append([]contract.Rig{}, some...), Next: next}, nil
}

func (h *handlers) AddRig(ctx context.Context, r AddRigRequest) (*contract.Rig, error) {
	n, err := h.cataloguing.AddRig(ctx, whoAsks(request(ctx)), r.Body)
	if err != nil {
		return nil, err
	}
	if _, err := h.written(ctx, n); err != nil {
		return nil, err
	}
	return r.Body, nil
}

func (h *handlers) ShowRig(ctx context.Context, r ShowRigRequest) (*contract.Rig, error) {
	st, err := h.state(ctx)
	if err != nil {
		return nil, err
	}
	x, err := findRig(ctx, st, r.Rig)
	if err != nil {
		return nil, err
	}
	return x, nil
}

func (h *handlers) ShowRigControl(ctx context.Context, r ShowRigControlRequest) (*contract.RigControl, error) {
	st, err := h.state(ctx)
	if err != nil {
		return nil, err
	}
	rig, err := findRig(ctx, st, r.Rig)
	if err != nil {
		return nil, err
	}
	c, err := h.reviewing.RigControl(ctx, whoAsks(request(ctx)), st, rig.Key)
	if err != nil {
		return nil, err
	}
	out := contract.RigControl{
		Rig: rig.Key, Checklist: c.Checklist, Samples: []contract.ControlSample{}, Names: map[string]contract.EditionName{},
	}
	if c.Criterion != nil {
		out.Criterion, out.Title, out.Unit = c.Criterion.Key, c.Criterion.Title, c.Criterion.Unit
	}
	if c.Chart != nil {
		out.Chart = *c.Chart
	}
	for _, x := range c.Samples {
		out.Samples = append(out.Samples, contract.ControlSample{
			At: x.At, Value: x.Value, Reading: x.ID, Review: x.Review, Edition: x.Edition, Reviewer: x.Reviewer,
			Out: c.Chart != nil && slices.ContainsFunc(c.Chart.Out, func(p measuring.Period) bool { return p.Within(x.At) }),
		})
		out.Names[x.Edition] = editionName(st, x.Edition)
	}
	return &out, nil
}

func findRig(ctx context.Context, st *ledger.Records, key string) (*catalogue.Rig, error) {
	key = st.Catalogue.ResolveRig(key)
	if err := found(ctx, "rig", st.Catalogue.RigVersions, key); err != nil {
		return nil, err
	}
	return st.Catalogue.Rig(key), nil
}

func (h *handlers) EditRig(ctx context.Context, r EditRigRequest) (*contract.Rig, error) {
	if err := h.sameEntry(ctx, "rig", r.Rig, r.Body.Key); err != nil {
		return nil, err
	}
	n, err := h.cataloguing.EditRig(ctx, whoAsks(request(ctx)), version(r.Params.IfMatch), r.Body)
	if err != nil {
		return nil, err
	}
	st, err := h.written(ctx, n)
	if err != nil {
		return nil, err
	}
	x, err := findRig(ctx, st, r.Rig)
	if err != nil {
		return nil, err
	}
	return x, nil
}
