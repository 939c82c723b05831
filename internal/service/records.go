package service

import "dappertally/internal/store"

// What the store keeps, as use cases hand it out.
type (
	// Account is a person who may sign in.
	Account = store.Person
	// Token is a personal token without its secret.
	Token = store.Token
	// ReviewRecord is a review as it is kept, its readings apart.
	ReviewRecord = store.Review
	// Draft is what somebody is typing and has not recorded.
	Draft = store.Draft
	// Ref is a record's id and revision.
	Ref = store.Ref
)

// NewID makes an id: a UUID of version 7, which sorts by time.
func NewID() string { return store.NewID() }
