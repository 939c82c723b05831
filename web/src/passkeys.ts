import { Unreachable, type Schemas } from "./api";

type Json = Record<string, unknown>;

/** Whether this browser has passkeys, and the service is reached by a name that they can belong to. */
export const hasPasskeys = () =>
  "PublicKeyCredential" in window &&
  "parseCreationOptionsFromJSON" in PublicKeyCredential &&
  !/^[\d.]+$|:/.test(location.hostname);

async function answered(asking: Promise<Credential | null>): Promise<Json> {
  try {
    const credential = await asking;
    if (credential) return (credential as PublicKeyCredential).toJSON() as Json;
  } catch (e) {
    if (!(e instanceof DOMException)) throw e;
    if (e.name === "InvalidStateError") throw new Unreachable("This device has a passkey for this account already.");
  }
  throw new Unreachable("No passkey was used.");
}

/** Asks the browser for a new passkey. */
export const makePasskey = (options: Schemas["PasskeyAsked"]["options"]) =>
  answered(
    navigator.credentials.create({
      publicKey: PublicKeyCredential.parseCreationOptionsFromJSON(
        options as unknown as PublicKeyCredentialCreationOptionsJSON,
      ),
    }),
  );

/** Asks the browser for a passkey that it has. */
export const answerPasskey = (options: Schemas["PasskeyAsked"]["options"]) =>
  answered(
    navigator.credentials.get({
      publicKey: PublicKeyCredential.parseRequestOptionsFromJSON(
        options as unknown as PublicKeyCredentialRequestOptionsJSON,
      ),
    }),
  );
