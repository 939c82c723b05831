package api

import (
	"context"

	"dappertally/internal/contract"
	"dappertally/internal/people"
	"dappertally/internal/problem"
)

func (h *handlers) AskPasskey(ctx context.Context, _ AskPasskeyRequest) (*contract.PasskeyAsked, error) {
	asked, err := h.people.AskPasskey(ctx, h.place(request(ctx)))
	return &contract.PasskeyAsked{Ceremony: asked.Ceremony, Options: asked.Options}, err
}

func (h *handlers) SignInByPasskey(ctx context.Context, r SignInByPasskeyRequest) (*contract.Session, error) {
	c := request(ctx)
	in, err := h.people.ByPasskey(ctx, r.Body.Ceremony, r.Body.Credential, h.place(c))
	if err != nil {
		return nil, err
	}
	return h.entered(c, &in), nil
}

func (h *handlers) SignInSecond(ctx context.Context, r SignInSecondRequest) (*contract.Session, error) {
	c := request(ctx)
	var in people.Entered
	var err error
	switch {
	case (len(r.Body.Credential) > 0) == (r.Body.Code != ""):
		return nil, problem.New(problem.Invalid, "answer with a passkey or with a recovery code")
	case r.Body.Code != "":
		in, err = h.people.SecondCode(ctx, r.Body.Pending, r.Body.Code, h.place(c))
	default:
		in, err = h.people.SecondPasskey(ctx, r.Body.Pending, r.Body.Credential, h.place(c))
	}
	if err != nil {
		return nil, err
	}
	return h.entered(c, &in), nil
}

func (h *handlers) BeginPasskey(ctx context.Context, _ BeginPasskeyRequest) (*contract.PasskeyAsked, error) {
	c := request(ctx)
	asked, err := h.people.BeginPasskey(ctx, whoAsks(c), h.place(c))
	return &contract.PasskeyAsked{Ceremony: asked.Ceremony, Options: asked.Options}, err
}

func (h *handlers) AddPasskey(ctx context.Context, r AddPasskeyRequest) (*contract.PasskeyAdded, error) {
	c := request(ctx)
	x, codes, err := h.people.AddPasskey(ctx, whoAsks(c), r.Body.Ceremony, r.Body.Label, r.Body.Credential, h.place(c))
	if err != nil {
		return nil, err
	}
	return &contract.PasskeyAdded{Passkey: passkey(&x), RecoveryCodes: codes}, nil
}

func passkey(x *people.Passkey) contract.Passkey {
	return contract.Passkey{Id: x.ID, Label: x.Label, Created: x.Created, Used: x.Used}
}

func (h *handlers) MakeRecoveryCodes(ctx context.Context, _ MakeRecoveryCodesRequest) (*contract.RecoveryCodes, error) {
	codes, err := h.people.NewRecoveryCodes(ctx, whoAsks(request(ctx)))
	return &contract.RecoveryCodes{Codes: codes}, err
}

func (h *handlers) WantSecondStep(ctx context.Context, r WantSecondStepRequest) error {
	return h.people.WantSecond(ctx, whoAsks(request(ctx)), r.Body.Wanted)
}

func (h *handlers) ListPasskeys(ctx context.Context, r ListPasskeysRequest) (*contract.PasskeyList, error) {
	all, codes, p, err := h.people.Passkeys(ctx, whoAsks(request(ctx)), r.Person)
	if err != nil {
		return nil, err
	}
	list := contract.PasskeyList{Passkeys: []contract.Passkey{}, RecoveryCodes: codes, SecondStep: p.Second}
	for i := range all {
		list.Passkeys = append(list.Passkeys, passkey(&all[i]))
	}
	list.Required, err = h.people.RulesNeedSecond(ctx, &p)
	return &list, err
}

func (h *handlers) DropPasskey(ctx context.Context, r DropPasskeyRequest) error {
	return h.people.DropPasskey(ctx, whoAsks(request(ctx)), r.Person, r.Id)
}

func (h *handlers) ShowSignInRules(ctx context.Context, _ ShowSignInRulesRequest) (*contract.SignInRules, error) {
	if err := whoAsks(request(ctx)).Permit(people.ManagePeople); err != nil {
		return nil, err
	}
	rule, err := h.people.SecondStep(ctx)
	return &contract.SignInRules{SecondStep: contract.SignInRulesSecondStep(rule)}, err
}

func (h *handlers) SetSignInRules(ctx context.Context, r SetSignInRulesRequest) (*contract.SignInRules, error) {
	n, err := h.people.SetSecondStep(ctx, whoAsks(request(ctx)), string(r.Body.SecondStep))
	if err != nil {
		return nil, err
	}
	h.changed(ctx, n)
	return r.Body, nil
}
