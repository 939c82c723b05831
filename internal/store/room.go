package store

import "fmt"

// leastRoom is how much free space a database needs: with less, the server may stop.
const leastRoom = 16 << 20

// RoomFor returns ErrFull if the database's disk is known to lack space for so many more bytes.
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
