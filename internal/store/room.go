package store

import "fmt"

// leastRoom is how much room a database needs to go on: with less, it may end by itself.
const leastRoom = 16 << 20

// RoomFor reports, by ErrFull, where the database's disk is known to have no room for so many bytes more.
func (s *Store) RoomFor(size uint64) error {
	if s.Room == nil {
		return nil
	}
	free, ok := s.Room()
	if !ok || free >= size+leastRoom {
		return nil
	}
	return fmt.Errorf("%w: %d MiB are free, and about %d MiB are needed", ErrFull, free>>20, (size+leastRoom)>>20)
}
